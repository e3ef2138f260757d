"""Bytes and text to values and back.  Pure: no socket, file or clock."""
