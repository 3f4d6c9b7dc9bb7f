"""The plant: flat tables of small frozen rows, and the edits that change them."""
