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


def _slow(lost: float, up: float, moved: float) -> list[dict[str, object]]:
    """A drill whose link goes at 10 s, with these moments and pings that come back with the move."""
    rows = [_event(10, "link-down", "eth0"), _event(lost, "peer-lost", "first"), _event(up, "tunnel-up", "second")]
    return [*rows, _event(moved, "role-active", "second"), *_pings(range(20, int(2 * moved) + 1))]


@pytest.mark.parametrize(
    ("lost", "up", "moved", "part"),
    [(16.0, 16.2, 16.3, None), (55.0, 55.2, 55.3, "detection"), (16.0, 40.0, 40.1, "negotiation"), (16.0, 16.2, 30.0, "route")],
)  # fmt: skip
def test_the_part_that_is_too_long(case: Case, lost: float, up: float, moved: float, part: str | None) -> None:
    rows = _slow(lost, up, moved)
    tunnels = case({**_sheets(), "path/r.jsonl": "".join(json.dumps(r) + "\n" for r in rows)}).tunnels
    found = [f for t in tunnels for f in t.findings if f.stage == "failover"]
    assert [(f.code, f.facts["part"]) for f in found] == ([("failover-slow", part)] if part else [])
    if found:
        assert found[0].facts["predicted_ms"] == [4500, 6500]


@pytest.mark.parametrize("up", [16.2, None])
def test_nothing_takes_over(case: Case, up: float | None) -> None:
    rows = [_event(10, "link-down", "eth0"), _event(16, "peer-lost", "first"), *_pings(range(20, 160))]
    rows += [_event(up, "tunnel-up", "second")] if up else []
    tunnels = case({**_sheets(), "path/r.jsonl": "".join(json.dumps(r) + "\n" for r in rows)}).tunnels
    (found,) = [f for t in tunnels for f in t.findings if f.stage == "failover"]
    assert found.code == "failover-absent"
    assert ("second is up" if up else "second is not set up") in found.summary


def test_a_drill_without_records_is_read_from_the_log(case: Case) -> None:
    def line(second: float, text: str) -> str:
        return f"{_at(second)} quayhead ike: {text}\n"

    log = line(1, '"first" #1: IKE SA established with 198.51.100.34 from 192.0.2.10')
    log += line(1.1, '"first" #1: CHILD_SA established, SPIs c1a2b3d4 0a1b2c3d')
    log += line(16, '"first" #1: giving up after 2 retransmits, peer 198.51.100.34 not responding')
    log += line(16.1, '"second" #2: IKE SA established with 198.51.100.34 from 203.0.113.10')
    log += line(16.2, '"second" #2: CHILD_SA established, SPIs c1a2b3d5 0a1b2c3e')
    pings = "".join(json.dumps(r) + "\n" for r in _pings(range(20, 36)))
    found = summary_of(case({**_sheets(), "quayhead/ike.log": log, "path/r.jsonl": pings}))
    (drill,) = next(t for t in found.tunnels if t.name == "first").failovers
    assert (drill["detected_after_ms"], drill["negotiated_after_ms"], drill["restored_after_ms"]) == (6250, 6450, 8250)
    assert (drill["lost"], drill["uncertainty_ms"]) == (16, 750)


def test_a_link_that_is_down_is_a_caution_once_the_standby_carries(case: Case) -> None:
    lines = {"wan0": ("192.0.2.10", "203.0.113.10"), "wan1": ("203.0.113.10", "192.0.2.10")}
    for dev, (own, other) in lines.items():
        files = _sheets()
        both = f'[[interface]]\nname = "{dev}"\naddresses = ["{own}/29"]\n'
        both += f'[[interface]]\nname = "lte0"\naddresses = ["{other}/29"]\n'
        files["sites/quayhead.toml"] = str(files["sites/quayhead.toml"]) + both
        rows = [_event(10, "link-down", dev), *_slow(16, 16.2, 16.3)[1:]]
        tunnels = case({**files, "path/r.jsonl": "".join(json.dumps(r) + "\n" for r in rows)}).tunnels
        found = [(t.picture.name, f.caution) for t in tunnels for f in t.findings if f.code == "link-down"]
        # The line beneath the primary: told of, and covered. The line beneath the standby: its own fault.
        assert found == ([("first", True)] if dev == "wan0" else [("second", False)])


def test_switching_to_and_fro(case: Case) -> None:
    rows: list[dict[str, object]] = []
    for n in range(3):
        rows += [_event(10 + 20 * n, "peer-lost", "first"), _event(10.2 + 20 * n, "tunnel-up", "second")]
        rows += [_event(10.3 + 20 * n, "role-active", "second"), _event(15 + 20 * n, "tunnel-up", "first")]
        rows += [_event(15.1 + 20 * n, "role-active", "first")]
    for count, codes in ((3, ["flapping"]), (2, [])):
        some = "".join(json.dumps(r) + "\n" for r in rows[: 5 * count])
        tunnels = case({**_sheets(), "path/r.jsonl": some}).tunnels
        assert [f.code for t in tunnels for f in t.findings if f.stage == "failover"] == codes


def test_a_standby_with_a_fault_of_its_own(case: Case) -> None:
    files = _sheets()
    text = str(files["sites/petrel.toml"])
    at = text.index('name = "second"')
    files["sites/petrel.toml"] = text[:at] + text[at:].replace(THERE, "10.66.0.0/22")
    first, second = (next(t for t in case(files).tunnels if t.picture.name == n) for n in ("first", "second"))
    assert second.first_fault is not None and second.first_fault.code == "selectors-not-mirrored"
    (found,) = first.findings
    assert (found.code, found.caution, found.facts["code"]) == ("standby-broken", True, "selectors-not-mirrored")
    rows = [_event(10, "link-down", "eth0"), _event(16, "peer-lost", "first"), *_pings(range(20, 160))]
    needed = case({**files, "path/r.jsonl": "".join(json.dumps(r) + "\n" for r in rows)}).tunnels
    codes = {f.code: f.caution for t in needed if t.picture.name == "first" for f in t.findings}
    assert codes["standby-broken"] is False
    assert "failover-absent" not in codes


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
        ((RISING, RISING), (RISING, RISING), ["both-active"], ("petrel", "quayhead")),
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


@pytest.mark.parametrize(("sent", "codes"), [((0, 40), []), ((0, 1), ["failback-absent"])])
def test_counters_tell_that_traffic_went_back(case: Case, sent: tuple[int, int], codes: list[str]) -> None:
    rows = _drill(16.3, 32.0, None)
    for second, packets in zip((40.0, 60.0), sent, strict=True):
        row = {"kind": "counters", "at": _at(second), "site": "quayhead", "tunnel": "first", "spi_out": "c1a2b3d4"}
        rows.append({**row, "spi_in": "0a1b2c3d", "packets_out": packets, "packets_in": packets})
    tunnels = case({**_sheets(), "path/r.jsonl": "".join(json.dumps(r) + "\n" for r in rows)}).tunnels
    assert [f.code for t in tunnels for f in t.findings if f.stage == "failover"] == codes
