"""What the crew carries: gear, profiles, and what must be packed."""
