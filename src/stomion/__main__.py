"""`python -m stomion` is the same as `stomion`."""

from stomion.entry import main

if __name__ == "__main__":
    main()
