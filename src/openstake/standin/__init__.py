"""The devices we do not have: two receivers, a caster and the world they stand in."""
