"""A primary and its standby: a route that a timer holds, traffic that does not return, ends that part, and the wrong one that carries."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined
from stomion.jobs.summary import summary_of

Case = Callable[[dict[str, str | bytes]], Examined]
TUNNEL = """[[tunnel]]
name = "{name}"
peer_site = "{far}"
local = "{local}"
peer = "{peer}"
ike = 2
initiate = "{initiate}"
local_ts = ["{here}"]
remote_ts = ["{there}"]
role = "{role}"
dpd = {{ interval_s = 2, retries = 2 }}
"""
LINES = (("first", "primary", "192.0.2.10", "198.51.100.34"), ("second", "standby", "203.0.113.10", "198.51.100.34"))
HERE, THERE = "10.96.0.0/20", "10.66.0.0/21"


def _sheets() -> dict[str, str | bytes]:
    left, right = 'site = "quayhead"\n', 'site = "petrel"\n'
    for name, role, near, far in LINES:
        left += TUNNEL.format(
            name=name, far="petrel", local=near, peer=far, initiate="always", here=HERE, there=THERE, role=role
        )
        right += TUNNEL.format(
            name=name, far="quayhead", local=far, peer=near, initiate="never", here=THERE, there=HERE, role=role
        )
    return {"sites/quayhead.toml": left, "sites/petrel.toml": right}


def _at(second: float) -> str:
    return f"2026-05-04T09:{int(second) // 60:02d}:{second % 60:06.3f}Z"


def _event(second: float, what: str, subject: str = "", detail: str = "") -> dict[str, object]:
    return {"kind": "event", "at": _at(second), "site": "quayhead", "what": what, "subject": subject, "detail": detail}


def _pings(lost: range) -> list[dict[str, object]]:
    row = {"kind": "ping", "from": "quayhead/desk", "to": "10.66.0.9"}
    return [{**row, "at": _at(n / 2), "seq": n, "rtt_ms": None if n in lost else 5.0} for n in range(160)]


LOSS = [_event(10, "link-down", "eth0"), _event(16, "peer-lost", "first"), _event(16.2, "tunnel-up", "second")]


def _drill(moved: float, back: float | None, returned: float | None) -> list[dict[str, object]]:
    rows = [*LOSS, _event(moved, "role-active", "second"), *_pings(range(20, int(2 * moved) + 1))]
    rows += [_event(30, "link-up", "eth0"), _event(back, "tunnel-up", "first")] if back is not None else []
    return rows + ([_event(returned, "role-active", "first")] if returned is not None else [])


@pytest.mark.parametrize(
    ("moved", "back", "returned", "codes"),
    [
        (16.3, 32.0, 32.1, []),
        (25.0, 32.0, 32.1, ["failover-slow"]),
        (16.3, 32.0, None, ["failback-absent"]),
        (16.3, 77.0, None, []),
        (16.3, None, None, []),
    ],
    ids=[
        "as it should",
        "the route is held",
        "traffic stays",
        "traffic had no time to return",
        "the primary is not back",
    ],
)
def test_what_becomes_of_a_drill(
    case: Case, moved: float, back: float | None, returned: float | None, codes: list[str]
) -> None:
    rows = _drill(moved, back, returned)
    tunnels = case({**_sheets(), "path/r.jsonl": "".join(json.dumps(r) + "\n" for r in rows)}).tunnels
    found = [f for t in tunnels for f in t.findings if f.stage == "failover"]
    assert [f.code for f in found] == codes
    assert all(f.sides == ("quayhead",) for f in found)


def test_the_moments_of_a_drill(case: Case) -> None:
    rows = _drill(16.5, 32.0, 32.4)
    found = summary_of(case({**_sheets(), "path/r.jsonl": "".join(json.dumps(r) + "\n" for r in rows)}))
    (drill,) = next(t for t in found.tunnels if t.name == "first").failovers
    assert not next(t for t in found.tunnels if t.name == "second").failovers
    assert (drill["detected_after_ms"], drill["negotiated_after_ms"], drill["moved_after_ms"]) == (6000, 6200, 6500)
    assert (drill["restored_after_ms"], drill["lost"]) == (7000, 14)
    assert drill["failback"] == {
        "negotiated_after_ms": 2000,
        "moved_after_ms": 2400,
        "restored_after_ms": 2400,
        "lost": 0,
    }


def _counts(site: str, name: str, sent: tuple[int, ...], got: tuple[int, ...]) -> str:
    mine, theirs = ("aa", "bb") if site == "quayhead" else ("bb", "aa")
    tail = "000001" if name == "first" else "000002"
    row = {"kind": "counters", "site": site, "tunnel": name, "spi_in": mine + tail, "spi_out": theirs + tail}
    both = enumerate(zip(sent, got, strict=True))
    rows = [{**row, "at": _at(10 * n), "packets_out": out, "packets_in": back} for n, (out, back) in both]
    return "".join(json.dumps(r) + "\n" for r in rows)


RISING, STILL, STOPPED = (0, 20, 40, 60, 80), (0, 0, 0, 0, 0), (0, 20, 20, 20, 20)


@pytest.mark.parametrize(
    ("quayhead", "petrel", "codes", "sides"),
    [
        ((RISING, STILL), (RISING, STILL), [], ()),
        ((STOPPED, RISING), (STOPPED, RISING), ["wrong-path"], ("petrel", "quayhead")),
        ((STOPPED, RISING), (RISING, STILL), ["path-asymmetric"], ("petrel",)),
        ((RISING, RISING), (RISING, RISING), [], ()),
    ],
    ids=["the primary carries", "the standby carries", "they part", "both carry"],
)
def test_which_of_the_two_carries(
    case: Case,
    quayhead: tuple[tuple[int, ...], ...],
    petrel: tuple[tuple[int, ...], ...],
    codes: list[str],
    sides: tuple[str, ...],
) -> None:
    files = _sheets()
    for site, sent, got in (("quayhead", quayhead, petrel), ("petrel", petrel, quayhead)):
        files[f"{site}/c.jsonl"] = "".join(
            _counts(site, name, sent[n], got[n]) for n, name in enumerate(("first", "second"))
        )
    found = [f for t in case(files).tunnels for f in t.findings if f.stage == "failover"]
    assert [f.code for f in found] == codes
    assert not found or tuple(sorted(found[0].sides)) == sides


def test_a_failure_makes_the_standby_the_right_path(case: Case) -> None:
    files = _sheets()
    for site in ("quayhead", "petrel"):
        files[f"{site}/c.jsonl"] = _counts(site, "first", STOPPED, STOPPED) + _counts(site, "second", RISING, RISING)
    files["path/r.jsonl"] = json.dumps(_event(5, "peer-lost", "first")) + "\n"
    assert not [f for t in case(files).tunnels for f in t.findings if f.code == "wrong-path"]
