"""The failover screen: lanes, the outage against its timers, other timers, several switches, and pairs that never switched."""

from __future__ import annotations

import json
from itertools import pairwise
from pathlib import Path

import pytest

from driving import ready, text_of
from stomion.errors import UsageError
from stomion.jobs.demo import demo_folder
from stomion.jobs.drawing import draw
from stomion.jobs.examine import Examined, examine
from stomion.tui.app import StomionApp
from stomion.views.failover import failover_of, readiness_of

TUNNEL = """[[tunnel]]
name = "{name}"
peer_site = "{far}"
local = "{local}"
peer = "{peer}"
ike = 2
local_ts = ["{here}"]
remote_ts = ["{there}"]
role = "{role}"
dpd = {{ interval_s = 2, retries = 2 }}
"""


def _pair(folder: Path, rows: list[dict[str, object]]) -> Path:
    (folder / "sites").mkdir(parents=True)
    (folder / "path").mkdir()
    ash, birch = 'site = "ash"\n', 'site = "birch"\n'
    for name, role, near in (("first", "primary", "192.0.2.10"), ("second", "standby", "203.0.113.10")):
        lans = {"here": "10.1.0.0/24", "there": "10.2.0.0/24"}
        ash += TUNNEL.format(name=name, far="birch", local=near, peer="198.51.100.20", role=role, **lans)
        lans = {"here": "10.2.0.0/24", "there": "10.1.0.0/24"}
        birch += TUNNEL.format(name=name, far="ash", local="198.51.100.20", peer=near, role=role, **lans)
    (folder / "sites" / "ash.toml").write_text(ash)
    (folder / "sites" / "birch.toml").write_text(birch)
    (folder / "path" / "r.jsonl").write_text("".join(json.dumps(r) + "\n" for r in rows))
    return folder


def _event(second: float, what: str, subject: str) -> dict[str, object]:
    at = f"2026-05-04T09:{int(second) // 60:02d}:{second % 60:06.3f}Z"
    return {"kind": "event", "at": at, "site": "ash", "what": what, "subject": subject}


def _with_lines(folder: Path) -> None:
    """Ash's two lines, by which a link's event is of one tunnel or of the other."""
    lines = "".join(
        f'[[interface]]\nname = "{dev}"\naddresses = ["{address}/24"]\n'
        for dev, address in (("wan0", "192.0.2.10"), ("wan1", "203.0.113.10"))
    )
    sheet = folder / "sites" / "ash.toml"
    sheet.write_text(sheet.read_text() + lines)


def _switches(count: int) -> list[dict[str, object]]:
    rows: list[dict[str, object]] = []
    for n in range(count):
        start = 10 + 60 * n
        steps = ((0, "link-down", "wan0"), (6, "peer-lost", "first"), (6.2, "tunnel-up", "second"))
        steps += ((6.3, "role-active", "second"), (20, "link-up", "wan0"), (21, "tunnel-up", "first"))
        rows += [_event(start + at, what, subject) for at, what, subject in (*steps, (21.1, "role-active", "first"))]
    return rows


async def test_a_drill_with_its_lanes_and_other_timers() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        await pilot.press("slash", *"petrel", "enter", "8")
        await pilot.pause(0.3)
        shown = text_of(app)
        assert "quayhead-petrel primary" in shown and "switch 1 of 1, at Petrel" in shown
        assert "measured" in shown and "52 s" in shown and "5.3 – 7.3 s" in shown
        assert "45.0 s longer than its timers promise" in shown
        assert "by 0.4 s" not in shown and "the loss" in shown
        await pilot.press("less_than_sign", "minus")
        await pilot.pause()
        # 1 s and 1.6 s of waits, then the negotiation; at worst one interval of 1 s more.
        assert "2.7 – 3.7 s" in text_of(app)
        await pilot.press("z", "z", *["right"] * 3)
        await pilot.pause()
        assert "09:19:0" in text_of(app)
        await pilot.press("n")
        await pilot.pause()
        assert "switch 1 of 1" in text_of(app)
        await pilot.press("end", "enter")
        await pilot.pause(0.3)
        assert app.place == "evidence" and "petrel-drill.jsonl" in text_of(app)


@pytest.mark.parametrize("size", [(100, 30), (160, 47)])
async def test_several_switches_are_chosen_one_by_one(tmp_path: Path, size: tuple[int, int]) -> None:
    app = StomionApp([_pair(tmp_path / "case", _switches(2))])
    async with app.run_test(size=size) as pilot:
        await ready(pilot)
        await pilot.press("8")
        await pilot.pause()
        assert "switch 1 of 2, at Ash" in text_of(app) and "09:00:10" in text_of(app)
        await pilot.press("n")
        await pilot.pause()
        assert "switch 2 of 2, at Ash" in text_of(app) and "09:01:10" in text_of(app)


async def test_a_pair_at_rest_and_a_tunnel_of_no_pair(tmp_path: Path) -> None:
    app = StomionApp([_pair(tmp_path / "case", [])])
    async with app.run_test(size=(120, 40)) as pilot:
        await ready(pilot)
        await pilot.press("8")
        await pilot.pause()
        assert "first is the primary, second its standby." in text_of(app) and "not proven" in text_of(app)
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(120, 40)) as pilot:
        await ready(pilot)
        await pilot.press("8")
        await pilot.pause()
        assert "of no pair" in text_of(app)


def test_the_drawing_and_its_paper(demo: Examined, tmp_path: Path) -> None:
    diagnosis = next(t for t in demo.tunnels if t.picture.name == "quayhead-petrel")
    drawing = failover_of(diagnosis, 0)
    assert drawing is not None
    assert [(p.name, round(p.seconds, 1)) for p in drawing.parts] == [
        ("detection", 6.5), ("negotiation", 0.3), ("route", 45.0), ("return", 0.2),
    ]  # fmt: skip
    standby = next(t for t in demo.tunnels if t.picture.name == "farlight-petrel")
    assert failover_of(standby, 0) is not None
    assert readiness_of(demo.tunnels[0]) is None
    for name in ("f.svg", "f.pdf"):
        draw(demo, "failover", "quayhead-petrel", tmp_path / name)
    assert "104 pings lost" in (tmp_path / "f.svg").read_text("utf-8")
    with pytest.raises(UsageError, match="no failover was seen"):
        draw(demo, "failover", "quayhead-whelk", tmp_path / "g.svg")
    with pytest.raises(UsageError, match="there is no switch 3"):
        draw(demo, "failover", "quayhead-petrel", tmp_path / "g.svg", 3)


def test_many_switches_each_have_their_own_time(tmp_path: Path) -> None:
    (tunnel, *_) = [d for d in examine([_pair(tmp_path / "case", _switches(3))]).tunnels if d.picture.name == "first"]
    spans = [(d.since, d.until) for n in range(3) if (d := failover_of(tunnel, n)) is not None]
    assert len(spans) == 3
    assert all(a[1] <= b[0] for a, b in pairwise(spans))


def _link_lanes(folder: Path, rows: list[dict[str, object]]) -> list[list[str]]:
    _with_lines(_pair(folder, rows))
    examined = examine([folder])
    drawing = failover_of(next(d for d in examined.tunnels if d.picture.name == "first"), 0)
    assert drawing is not None
    return [[stretch.kind for stretch in lane.stretches] for lane in drawing.lanes[:2]]


def test_the_standbys_link_is_known_by_its_own_events_or_by_its_sa(tmp_path: Path) -> None:
    rows = _switches(1)
    assert _link_lanes(tmp_path / "a", rows) == [["stands", "gone", "stands"], ["unknown", "stands"]]
    fallen = [*rows, _event(12, "link-down", "wan1"), _event(13, "link-up", "wan1")]
    assert _link_lanes(tmp_path / "b", fallen) == [["stands", "gone", "stands"], ["stands", "gone", "stands", "stands"]]


def test_a_routing_neighbour_has_a_lane(tmp_path: Path) -> None:
    rows = [*_switches(1), _event(5, "neighbour-up", "10.2.0.1"), _event(15, "neighbour-down", "10.2.0.1")]
    drawing = failover_of(next(d for d in examine([_pair(tmp_path, rows)]).tunnels if d.picture.name == "first"), 0)
    assert drawing is not None
    (lane,) = [lane for lane in drawing.lanes if lane.name == "neighbour"]
    assert (lane.of, [stretch.kind for stretch in lane.stretches]) == ("10.2.0.1", ["gone", "stands", "gone"])
