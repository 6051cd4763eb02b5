"""Pictures to findings and verdicts: a catalogue of rules, each a spec and a pure function, and the runner."""
