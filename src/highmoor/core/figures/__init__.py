"""Figures: calculations callable by themselves, with contracts in plain JSON."""
