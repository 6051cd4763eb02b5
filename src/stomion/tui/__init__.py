"""The full-screen front. Widgets show records and compute nothing; pages are built by pure functions."""
