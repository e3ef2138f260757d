"""Check: shots on marks and what their differences say."""
