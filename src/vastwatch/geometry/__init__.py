"""Plane geometry on NumPy arrays: polygons, sight lines, grids and walking routes. No domain words."""
