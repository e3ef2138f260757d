"""RINEX: observations and broadcast orbits in, observations out."""
