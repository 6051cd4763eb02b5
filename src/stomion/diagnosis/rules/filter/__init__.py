"""Rules of the stage filter."""
