"""Rules of the stage ike."""
