"""What stands now: heads of lines and what is derived from them.  Nothing here writes."""
