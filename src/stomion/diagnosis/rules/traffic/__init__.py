"""Rules of the stage traffic."""
