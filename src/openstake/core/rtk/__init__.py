"""The rover's solution over time: ages, jumps, initialisations, what it claims beside what is seen."""
