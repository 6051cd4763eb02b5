"""Negotiations put together from packets and log events, both ends joined into one picture per tunnel."""
