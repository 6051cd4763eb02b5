"""Sums over series: loss, counters, overhead. Pure arithmetic on values that were read elsewhere."""
