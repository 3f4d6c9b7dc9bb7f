"""What follows from a plant: parts computed from the rows they read, and the findings of checks on them."""
