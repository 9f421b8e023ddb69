"""Switches, overrides, and what people do about a light."""
