"""The Book: what happened, what the crew adds, days signed off, and what goes home."""
