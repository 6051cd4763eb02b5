"""The case as it was read: all evidence, before anything is concluded from it."""
