"""``python -m yaila``: the command line."""

from yaila.cli import main

main()
