"""The shapes that a text may have: what stands within what, whatever it means."""
