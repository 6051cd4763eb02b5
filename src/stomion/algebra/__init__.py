"""Pure arithmetic on proposals and selectors, with laws that property tests state."""
