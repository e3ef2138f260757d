"""`python -m openstake`."""

from openstake.cli import main

main()
