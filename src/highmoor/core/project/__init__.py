"""Editing a plant: edits, the fields of its objects, remedies, consequences and the exchange format."""
