"""Motion: axes of drives and pulse outputs, the chain from motor to load, and what follows from it."""
