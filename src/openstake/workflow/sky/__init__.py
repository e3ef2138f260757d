"""The sky: which satellites will be seen, and how good their geometry is."""
