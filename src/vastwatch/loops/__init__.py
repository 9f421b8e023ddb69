"""Compiled loops: what arrays cannot do quickly enough, an event or a second after the other.

A loop takes arrays and numbers, constants of the models among them, and returns arrays. It imports nothing of the
program but other loops and the constants of `vastwatch.rng` (an import contract and a test hold it to that), so that
the sources of this folder and that file are all that compiled code can depend on: `cache` keeps it by their digest.
"""
