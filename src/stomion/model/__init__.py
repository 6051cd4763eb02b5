"""Frozen records everyone speaks. They hold facts and where these come from; they compute next to nothing."""
