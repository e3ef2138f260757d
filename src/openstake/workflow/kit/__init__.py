"""The kit: gear, profiles, the packing list."""
