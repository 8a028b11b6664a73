"""`python -m tartan.cli` is `tartan`."""

from tartan.cli import main

if __name__ == "__main__":
    main()
