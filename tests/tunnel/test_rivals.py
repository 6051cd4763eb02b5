"""Two tunnels of one gateway to the same public address: whose lines, whose packets, and what is nobody's."""

from __future__ import annotations

from collections.abc import Callable

from stomion.jobs.examine import Examined
from stomion.model.event import Event, What
from stomion.model.provenance import Provenance
from stomion.model.site import SheetTunnel
from stomion.tunnel.rivals import divided, rivals_of

Case = Callable[[dict[str, str | bytes]], Examined]
BIRCH = SheetTunnel(
    "birch", "birch", "192.0.2.10", "198.51.100.34", remote_id="birch.example", remote_ts=("10.2.0.0/24",)
)
CEDAR = SheetTunnel(
    "cedar", "cedar", "192.0.2.10", "198.51.100.34", remote_id="cedar.example", remote_ts=("10.3.0.0/24",)
)
ELM = SheetTunnel("elm", "elm", "192.0.2.10", "203.0.113.9")


def _line(number: int, **more: object) -> Event:
    return Event(What.RECEIVED, Provenance("log", "ash", line=number), "", **more)  # type: ignore[arg-type]


def test_rivals_share_both_addresses_and_not_the_site() -> None:
    declared = (BIRCH, CEDAR, ELM)
    assert rivals_of(declared, BIRCH) == (CEDAR,) and rivals_of(declared, CEDAR) == (BIRCH,)
    assert rivals_of(declared, ELM) == rivals_of((), BIRCH) == ()
    anybody = SheetTunnel("x", "x", "192.0.2.10", "any")
    assert rivals_of((anybody, SheetTunnel("y", "y", "192.0.2.10", "any")), anybody) == ()


def test_lines_are_divided_by_what_names_a_tunnel() -> None:
    events = [
        _line(1, sa="3", peer_port=4500), _line(2, sa="3", identities=("birch.example",)),
        _line(3, sa="4"), _line(4, sa="4", identities=("cedar.example",)),
        _line(5, conn="birch"), _line(6, conn="cedar"), _line(7, peer_port=61002),
        _line(8, peer_port=61002, my_ts=("10.1.0.0/24", "10.2.0.0/25")),
        _line(9), _line(10, sa="9", identities=("birch.example", "cedar.example")),
    ]  # fmt: skip
    mine, open_ = divided(events, BIRCH, (CEDAR,))
    assert [e.where.line for e in mine] == [1, 2, 5, 7, 8]
    assert [e.where.line for e in open_] == [9, 10]


def test_what_may_be_of_either_is_said_and_held_against_nobody(case: Case) -> None:
    tunnels = "".join(
        f'[[tunnel]]\nname = "{t.name}"\npeer_site = "{t.peer_site}"\nlocal = "{t.local}"\npeer = "{t.peer}"\nremote_id = "{t.remote_id}"\n'
        for t in (BIRCH, CEDAR)
    )
    log = "2026-05-04T09:14:00Z ash ike [7] no IKE proposal in common with 198.51.100.34\n"
    examined = case({"sites/ash.toml": f'site = "ash"\n{tunnels}', "ash/ike.log": log})
    assert [d.first_fault for d in examined.tunnels] == [None, None]
    assert [str(p.text) for p in examined.evidence.problems][:1] == [
        "this line may be of any of birch and cedar: these share an address"
    ]
