"""Rules of the stage underlay."""
