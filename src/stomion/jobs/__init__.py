"""Use-cases that both fronts call: they report progress, can be cancelled, and return a record."""
