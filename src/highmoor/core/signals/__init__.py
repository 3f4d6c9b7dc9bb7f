"""Signals: types, links to places in the image, scaling, paths."""
