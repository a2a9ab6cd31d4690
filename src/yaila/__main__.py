"""``python -m yaila``: the command line."""

from yaila.cli import main

if __name__ == "__main__":
    main()
