"""A module a kind of row: how it is asked for, and how it is written."""
