"""Needs checked, the hold recommended, what else could be set, designs compared."""
