"""The two shapes that sets of packets are made of, as types alone; arithmetic with them is in space.

An Interval holds both of its ends. A Box is one Interval for each axis: source, destination, protocol, source port, destination
port (see space.boxes).
"""

from __future__ import annotations

Interval = tuple[int, int]
Box = tuple[Interval, ...]
