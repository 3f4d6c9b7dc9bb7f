"""A little program, to prove a configuration: Structured Text read, checked, and made into a function.

Text becomes a tree of what is written (`syntax.py`), that a tree in which everything has its type (`checking.py`), and
that the source of a function in which no word of the text stands (`compiling.py`). Source: IEC 61131-3:2013, 7.3.
"""
