"""The headless front: one module per command."""
