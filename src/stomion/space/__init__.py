"""Sets of packets and of addresses: exact arithmetic on boxes and ranges, and how people write them. No table and no rule stands here."""
