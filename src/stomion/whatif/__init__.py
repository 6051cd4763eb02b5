"""Changes tried on a tunnel, sheets and tables alike: typed, worked out, compared, taken back, written down as steps."""
