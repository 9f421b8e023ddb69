"""The window and what all of it shares: its document, its results, what is in focus, theme and parts."""
