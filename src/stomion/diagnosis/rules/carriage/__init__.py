"""Rules of the stage carriage."""
