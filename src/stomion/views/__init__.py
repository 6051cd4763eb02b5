"""What the screens and drawings show, as data, worked out once for both: seam, ladder, comparison, handover, maps."""
