print()
