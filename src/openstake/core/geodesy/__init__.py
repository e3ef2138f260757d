"""Ellipsoid, local axes and coordinate systems."""
