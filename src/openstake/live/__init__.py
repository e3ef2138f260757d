"""Transports, feeds and the running session: real time, real sockets, no survey rules."""
