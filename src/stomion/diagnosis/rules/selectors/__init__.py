"""Rules of the stage selectors."""
