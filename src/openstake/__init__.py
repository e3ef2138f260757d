"""Open Stake: a GNSS base and rover job, from the mark to the signed-off book."""

__version__ = "0.14.0"
