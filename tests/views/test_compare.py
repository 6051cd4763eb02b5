"""Both ends value by value, what-ifs, and the list for the far end."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from driving import ready, text_of
from stomion.errors import UsageError
from stomion.jobs.demo import demo_folder
from stomion.jobs.examine import Examined, examine
from stomion.jobs.handover import handover_document, rendered
from stomion.model.finding import Certainty
from stomion.tui.app import StomionApp
from stomion.tui.pages import compare as page
from stomion.tunnel.settings import standing_sheet
from stomion.views.compare import DIFFERS, FREE, OPEN, PARTLY, SAME, Comparison, compare
from stomion.whatif.sheets import begun, edited, outcome, sheets_of, tried
from stomion.whatif.steps import steps_text
from stomion.whatif.workbench import Workbench
from twosheets import LEFT, RIGHT, SHEET

Case = Callable[[dict[str, str | bytes]], Examined]


def _case(case: Case, change: dict[str, object], more: str = "") -> Examined:
    left = SHEET.format(**LEFT)
    return case({"sites/quayhead.toml": left, "sites/marram.toml": SHEET.format(**RIGHT | change) + more})


def _verdicts(found: Comparison) -> dict[str, str]:
    return {f"{p.group} {p.name}": p.verdict for p in found.pairs}


ROWS: dict[str, tuple[dict[str, object], str, str]] = {
    "same": ({}, "IKE SA encryption", SAME),
    "address": ({"peer": "192.0.2.99"}, "addresses Quayhead's address", DIFFERS),
    "identity": ({"local_id": "other.example"}, "identity Marram's identity", DIFFERS),
    "version": ({"ike": 1}, "IKE SA version", DIFFERS),
    "method": ({"auth": "certificate"}, "IKE SA authentication", DIFFERS),
    "group": ({"group": 20}, "IKE SA group", DIFFERS),
    "group in part": ({"group": "14, 20"}, "IKE SA group", PARTLY),
    "PFS at one end": ({"pfs": ""}, "Child SA PFS group", DIFFERS),
    "lifetime": ({"lifetime": 1800}, "Child SA lifetime", FREE),
    "range": ({"local_ts": "10.66.0.0/22"}, "selectors Marram's side", DIFFERS),
    "starts": ({"initiate": "never"}, "upkeep starts", FREE),
    "unknown": ({"auth": ""}, "IKE SA authentication", OPEN),
}


@pytest.mark.parametrize(("change", "row", "verdict"), ROWS.values(), ids=ROWS.keys())
def test_every_parameter_has_its_row(case: Case, change: dict[str, object], row: str, verdict: str) -> None:
    (tunnel,) = _case(case, change).tunnels
    found = _verdicts(compare(tunnel.picture))
    assert found[row] == verdict
    if verdict in (SAME, PARTLY, FREE, OPEN):
        assert DIFFERS not in found.values()


def test_what_both_could_agree_on(case: Case) -> None:
    (tunnel,) = _case(case, {"group": 20}).tunnels
    ike, esp = compare(tunnel.picture).agreements
    assert ike.chosen is None
    ends = [e.site for e in tunnel.picture.ends]
    assert [(ends[w.side], w.words()) for w in ike.ways] == [("quayhead", "add group 20"), ("marram", "add group 14")]
    assert esp.chosen is not None and esp.chosen.group == ("14",)


def test_an_end_without_a_sheet_is_filled_from_what_was_seen(demo: Examined) -> None:
    picture = next(d.picture for d in demo.tunnels if d.picture.name == "quayhead-saltern")
    found = {(p.group, p.name): p for p in compare(picture).pairs}
    group = found["IKE SA", "group"]
    assert (group.right.text, group.right.origin, group.verdict) == ("14", "seen", DIFFERS)
    assert group.right.where is not None and group.right.where.packet


def test_marks_that_differ_prove_a_mistyped_key(case: Case) -> None:
    sheets = [SHEET.format(**side).replace('auth = "psk"', f'auth = "psk"\nkey_mark = "{mark}"')
              for side, mark in ((LEFT, "amber-reef"), (RIGHT, "amber-oasis"))]  # fmt: skip
    (tunnel,) = case({"sites/quayhead.toml": sheets[0], "sites/marram.toml": sheets[1]}).tunnels
    (finding,) = tunnel.findings
    assert (finding.code, finding.certainty) == ("key-mismatch", Certainty.PROVEN)
    assert "Marram's key has the mark amber-oasis" in finding.summary


def test_a_gateway_that_does_not_do_what_its_sheet_says(demo: Examined, tmp_path: Path) -> None:
    shutil.copytree(demo_folder(), tmp_path / "case")
    sheet = tmp_path / "case" / "sites" / "farlight.toml"
    sheet.write_text(sheet.read_text().replace("group = [20, 19]", "group = [21]"))
    found = next(d for d in examine([tmp_path / "case"]).tunnels if d.picture.name == "quayhead-farlight")
    said = next(f for f in found.findings if f.code == "sheet-not-in-force")
    assert said.summary == "Farlight offers group 19 or 20; its sheet says group 21."
    assert not any(f.code == "sheet-not-in-force" for d in demo.tunnels for f in d.findings)
    shown = compare(found.picture)
    (pair,) = [p for p in shown.pairs if p.left.against or p.right.against]
    value = pair.right if found.picture.right.site == "farlight" else pair.left
    assert (pair.group, pair.name, value.text, value.against) == (
        "IKE SA",
        "group",
        "21",
        "20, 19",
    ) and value.against_where is not None
    lines = ["".join(text for text, _ in line) for line in page.detail(pair, found.picture, 120)]
    assert any("seen 20, 19 ·" in line and "the sheet is not in force" in line for line in lines)


def test_a_what_if_is_judged_by_the_sheets_alone_step_by_step(case: Case) -> None:
    (tunnel,) = _case(case, {"group": 20, "local_ts": "10.66.0.0/22"}).tunnels
    bench = Workbench(begun(tunnel.picture), outcome)
    side = next(i for i, e in enumerate(tunnel.picture.ends) if e.site == "marram")

    def codes() -> list[str]:
        assert bench.current is not None
        return [f.code for f in bench.work_out(bench.current).after.findings]

    bench.change(lambda t: tried(t, side, "ike_proposal.group", "14, modp3072", "IKE SA: group"))
    assert codes() == ["selectors-not-mirrored"]
    assert [f.code for f in bench.work_out(bench.tries[0]).before.findings] == ["ike-proposal-mismatch"]
    bench.change(lambda t: tried(t, side, "local_ts", "10.66.0.0/21", "selectors: own networks"))
    assert codes() == [] and sheets_of(bench.picture)[side].ike_proposal[0].group == (14, 15)
    assert steps_text(bench.tries[0]).splitlines() == [
        "Marram: set IKE SA: group to 14, modp3072", "Marram: set selectors: own networks to 10.66.0.0/21",
    ]  # fmt: skip
    bench.change(lambda t: tried(t, side, "local_ts", "10.66.0.0/21", "selectors: own networks"))
    assert len(bench.tries[0].changes) == 2
    bench.undo()
    assert codes() == ["selectors-not-mirrored"] and sheets_of(bench.base)[side].ike_proposal[0].group == (20,)
    bench.redo()
    assert codes() == []


@pytest.mark.parametrize(
    ("key", "text"),
    [("ike", "3"), ("mode", "fast"), ("ike_proposal.group", "rot13"), ("ike_proposal.encryption", "none at all"),
     ("esp_proposal.lifetime_s", "soon"), ("dpd", "often")],
)  # fmt: skip
def test_a_value_that_can_not_be_is_refused_with_a_reason(case: Case, key: str, text: str) -> None:
    (tunnel,) = _case(case, {}).tunnels
    with pytest.raises(UsageError):
        edited(standing_sheet(tunnel.picture, tunnel.picture.left), key, text)


def test_the_list_for_the_far_end_is_the_mirror_of_the_own_one(demo: Examined) -> None:
    text = rendered(handover_document(demo, None, "brackish-freight"), ".md").decode()
    for words in ("| own side | 10.72.16.0/22 |", "| far side | 10.96.0.0/20 |", "| peer address | 192.0.2.10 |", "12, key length 256",
                  "Exempt from translation", "UDP 4500", "must start"):  # fmt: skip
        assert words in text
    assert "psk" not in text
    with pytest.raises(UsageError, match="more than one tunnel"):
        handover_document(demo, None, "quayhead")
    with pytest.raises(UsageError, match="no such format"):
        rendered(handover_document(demo, None, "marram"), ".docx")


@pytest.mark.parametrize(
    ("suffix", "begins"), [(".pdf", b"%PDF-"), (".html", b"<!doctype html>"), (".md", b"# Marram")]
)
def test_every_format_of_the_list(demo: Examined, suffix: str, begins: bytes) -> None:
    document = handover_document(demo, "quayhead-marram", "marram")
    data = rendered(document, suffix)
    assert data.startswith(begins) and data == rendered(document, suffix)


async def test_the_screen_compares_tries_undoes_and_saves(tmp_path: Path) -> None:
    shutil.copytree(demo_folder(), tmp_path / "case")
    before = {p: p.read_bytes() for p in (tmp_path / "case").rglob("*") if p.is_file()}
    app = StomionApp([tmp_path / "case"])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        await pilot.press("4")
        await pilot.pause()
        assert "1 of 18 differ" in text_of(app) and "at Saltern" in text_of(app)
        await pilot.press("d", "g", "enter")
        await pilot.press(*["backspace"] * 6, *"14", "enter")
        await pilot.pause()
        shown = text_of(app)
        assert "1 at Quayhead: set IKE SA group to 14" in shown and "nothing stands between the two" in shown
        await pilot.press("s")
        await pilot.pause()
        assert "what if B" in text_of(app) and "at Saltern" in text_of(app)
        await pilot.press("D")
        await pilot.press("W", "right", "x")
        await pilot.pause()
        await pilot.press("u")
        await pilot.pause()
        assert "what if" not in text_of(app)
    saved = tmp_path / "case" / ".stomion" / "sheets" / "quayhead.toml"
    assert "group = [14]" in saved.read_text()
    assert (
        "What Saltern has to set" in (tmp_path / "case" / ".stomion" / "quayhead-saltern-for-saltern.html").read_text()
    )
    assert all(p.read_bytes() == data for p, data in before.items())
