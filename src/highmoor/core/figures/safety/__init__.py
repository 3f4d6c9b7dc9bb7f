"""Figures of safety: response, distance, stop time, failures an hour."""
