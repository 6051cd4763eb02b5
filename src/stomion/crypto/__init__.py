"""Cryptographic proposals: whether two agree, what they would choose, how near they come, how strong each value is."""
