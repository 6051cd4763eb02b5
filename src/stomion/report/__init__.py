"""Documents for other people: what to set, what was found. One module an output format, the same signature each."""
