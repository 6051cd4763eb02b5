"""What is asked for next: of whom, for which stage, and that nothing is asked for that is there or decides nothing."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from stomion.diagnosis.runner import Diagnosis
from stomion.entry import main
from stomion.jobs.examine import Examined
from stomion.model.finding import Stage
from stomion.views.asks import PROVIDER, asks_of, asks_text
from twosheets import LEFT, RIGHT, SHEET, A, B

Case = Callable[[dict[str, str | bytes]], Examined]
ASK = f"2026-05-04T09:14:00Z gw ike initiating IKEv2 to {B}:500\n"
SILENT = ASK + f"2026-05-04T09:14:31Z gw ike giving up on {B}, no answer\n"
UP = (
    ASK
    + f"2026-05-04T09:14:01Z gw ike IKE SA with m.example ({B}) established\n"
    + f"2026-05-04T09:14:02Z gw ike Child SA up with {B}: SPI c1a2b3d4 0a0b0c0d, 10.96.0.0/20 <=> 10.66.0.0/21\n"
)
REFUSED = (
    UP
    + f"2026-05-04T09:20:01Z gw ike no IKE proposal in common with {B}: received aes128-sha256-dh14; allowed here aes256-sha256-dh14\n"
)


def _asked(diagnosis: Diagnosis) -> list[tuple[str, str, str]]:
    return [(a.whom, a.stage.value, a.text) for a in asks_of(diagnosis)]


def test_of_a_silent_peer_its_log_a_capture_and_the_path(case: Case) -> None:
    (tunnel,) = case({"quayhead/ike.log": SILENT, "sites/quayhead.toml": SHEET.format(**LEFT)}).tunnels
    asked = _asked(tunnel)
    assert {stage for _, stage, _ in asked} == {"underlay"}
    marram = [text for whom, _, text in asked if whom == "Marram"]
    assert (
        marram[0]
        == f"Marram's IKE log around 09:14:31.000, with all it says of {A}, from the request to the end of the attempt"
    )
    assert marram[1].startswith("a capture at Marram's public interface") and A in marram[1]
    assert marram[2] == f"from Marram's gateway: does its next hop answer a ping, and does {A}?"
    assert not any("log" in text for whom, _, text in asked if whom == "Quayhead"), "its log is there"
    assert next(text for whom, _, text in asked if whom == PROVIDER).startswith("do UDP 500, UDP 4500 and ESP")


def test_of_a_tunnel_that_is_up_and_unproven_tables_counters_and_a_test(case: Case) -> None:
    (tunnel,) = case({"quayhead/ike.log": UP}).tunnels
    asked = _asked(tunnel)
    assert [stage for whom, stage, _ in asked if whom == "Quayhead"] == [
        "nat",
        "routing",
        "filter",
        "carriage",
        "carriage",
        "traffic",
        "traffic",
    ]
    assert all(
        "10.66.0.0/21" in text
        for whom, stage, text in asked
        if whom == "Quayhead" and stage in ("nat", "filter", "traffic")
    )
    assert not any(stage in ("underlay", "ike", "child", "selectors") for _, stage, _ in asked)


@pytest.mark.parametrize("log", [REFUSED, ""])
def test_nothing_is_asked_for_where_what_is_there_decides(case: Case, log: str, demo: Examined) -> None:
    if log:
        (tunnel,) = case({"quayhead/ike.log": log}).tunnels
        assert tunnel.first_fault is not None and asks_of(tunnel) == ()
    else:
        working = next(d for d in demo.tunnels if d.status.value == "working")
        assert asks_of(working) == () and asks_text(()) == ""


def test_of_two_sheets_alone_everything_that_a_sheet_cannot_show(case: Case) -> None:
    files = {"sites/quayhead.toml": SHEET.format(**LEFT), "sites/marram.toml": SHEET.format(**RIGHT)}
    (tunnel,) = case(dict(files)).tunnels
    asked = _asked(tunnel)
    assert {Stage.UNDERLAY.value, Stage.TRAFFIC.value} <= {stage for _, stage, _ in asked}
    assert not any("settings" in text for _, _, text in asked), "the sheets are the settings"
    assert len(asked) == len({(whom, text) for whom, _, text in asked})


def test_the_list_can_be_sent_as_it_is(case: Case, capsys: pytest.CaptureFixture[str]) -> None:
    examined = case({"quayhead/ike.log": SILENT})
    text = asks_text(asks_of(examined.tunnels[0]))
    assert text.startswith("To Quayhead:\n  - ") and f"\nTo {PROVIDER}:\n" in text
    with pytest.raises(SystemExit) as left:
        main(["check", examined.evidence.root, "--ask"])
    printed = capsys.readouterr().out
    assert left.value.code == 1 and f"  To {PROVIDER}:" in printed and "must change" not in printed
