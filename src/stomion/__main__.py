"""`python -m stomion` is the same as `stomion`."""

from stomion.cli.main import main

if __name__ == "__main__":
    main()
