"""Negotiations put together from packets, one end's log read to its last state, and how far two clocks are apart."""
