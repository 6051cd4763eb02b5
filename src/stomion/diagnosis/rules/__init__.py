"""One rule a file: `SPEC`, its catalogue entry, and `judge`, a pure function from a Context to a Finding or None."""
