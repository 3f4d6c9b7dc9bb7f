"""What is pushed to browsers: edits of plants, presence, live values of the bench."""
