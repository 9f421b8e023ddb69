"""Scores and incidents, of signals alone."""
