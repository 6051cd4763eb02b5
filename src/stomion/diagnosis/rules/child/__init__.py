"""Rules of the stage child."""
