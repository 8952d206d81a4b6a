"""`python -m tarvik`: see `./run`."""

from tarvik.cli import main

main()
