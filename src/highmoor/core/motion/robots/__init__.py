"""Robots of three arms, with a wrist or without: what they ask of their axes, where they reach, how they move."""
