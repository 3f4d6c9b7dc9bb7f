"""Axes on the bench: drives that follow their words, loads that move, and the controller's hand on them."""
