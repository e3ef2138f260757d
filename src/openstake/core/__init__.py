"""The computation: pure functions of their arguments. No clock, path, seed, log or session inside."""
