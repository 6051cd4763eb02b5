"""Stomion: says which step of a site-to-site tunnel broke, at which end, on what proof, and what to change."""

__version__ = "0.1.0"
