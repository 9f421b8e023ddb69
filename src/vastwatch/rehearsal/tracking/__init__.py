"""Tracking radars: targets, and reports of zones."""
