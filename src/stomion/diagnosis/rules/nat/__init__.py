"""Rules of the stage nat."""
