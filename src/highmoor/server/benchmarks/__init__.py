"""Benchmarks: figures and what is aimed at, printed; never a reason to fail."""
