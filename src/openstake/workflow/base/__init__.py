"""The base: set up, started, heard, corrected, ended."""
