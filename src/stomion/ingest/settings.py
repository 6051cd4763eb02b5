"""A gateway's own configuration among the evidence: what tunnels it sets up is said, and how to make a sheet of it."""

from __future__ import annotations

from itertools import islice

from stomion.drafts.draft import draft_of
from stomion.ingest.loglayout import every_line
from stomion.ingest.reading import Reading
from stomion.logs.timestamps import find_stamp
from stomion.model.site import SheetTunnel

MOST = 128 << 10
"""Bytes of a text that is asked whether it is one."""
LINES = 8_000
LOOKED_AT = 400
MOST_TIMED = 1 / 8
"""Of the lines may have a time."""
SHOWN = 3
"""Tunnels that are named."""


def take_settings(reading: Reading) -> bool:
    """Say what a text sets up, if it is a gateway's configuration; False for any other text."""
    if reading.size > MOST or not reading.item.site:
        return False
    lines = [line for _, line in islice(every_line(reading.item, reading), LINES)]
    head = [line for line in lines[:LOOKED_AT] if line.strip()]
    if sum(find_stamp(line, year=1970) is not None for line in head) > MOST_TIMED * len(head):
        # What has times happened; a remark may tell when it was written.
        return False
    tunnels = [one for one in draft_of("\n".join(lines)).sheet.tunnel if _is_whole(one)]
    if not tunnels:
        return False
    named = "; ".join(map(_said, tunnels[:SHOWN]))
    more = f"; {len(tunnels) - SHOWN:,} more" if len(tunnels) > SHOWN else ""
    reading.source("gateway's configuration", len(lines), "lines", used=False)
    reading.problem(f"it sets up {named}{more}; stomion sheet draft makes a sheet of it, which counts")
    return True


def _is_whole(tunnel: SheetTunnel) -> bool:
    """Is told what only a configuration tells together: the peer, the networks of both sides, and how the tunnel is sealed or proved?"""
    sealed = tunnel.ike_proposal or tunnel.esp_proposal or tunnel.auth
    return bool(tunnel.peer and tunnel.local_ts and tunnel.remote_ts and sealed)


def _said(tunnel: SheetTunnel) -> str:
    near, far = ", ".join(tunnel.local_ts[:SHOWN]), ", ".join(tunnel.remote_ts[:SHOWN])
    return f"{tunnel.name or 'a tunnel'} to {tunnel.peer}, {near} with {far}"
