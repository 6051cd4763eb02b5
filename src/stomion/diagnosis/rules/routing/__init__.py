"""Rules of the stage routing."""
