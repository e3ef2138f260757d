"""Where the satellites are, and what their geometry is worth."""
