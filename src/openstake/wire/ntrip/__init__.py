"""NTRIP 1 and 2: requests, replies, source tables, chunks."""
