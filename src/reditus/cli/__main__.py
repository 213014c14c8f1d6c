"""`python -m reditus.cli`."""

from reditus.cli.commands import main

if __name__ == "__main__":
    main()
