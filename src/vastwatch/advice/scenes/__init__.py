"""Ladders: their states, their own light on a sensor, light ahead of people."""
