"""The pages as pure functions: every line fits its width, and says what the records say."""

from __future__ import annotations

from dataclasses import replace

import pytest

from stomion.jobs.examine import Examined
from stomion.jobs.places import texts_at
from stomion.tui.pages import evidence, grouped, negotiation, tunnel, tunnels
from stomion.tui.spans import width_of
from stomion.views.chosen import fits
from stomion.views.inferred import evident_settings
from stomion.views.ladder import ladder_of, message_of
from stomion.views.seam import seam_of

WIDTHS = (60, 80, 100, 131, 160, 200)


def _plain(line: list[tuple[str, str]]) -> str:
    return "".join(text for text, _ in line)


@pytest.mark.parametrize("width", WIDTHS)
def test_rows_and_header_of_the_list_line_up(demo: Examined, width: int) -> None:
    cols = tunnels.columns(width, 16)
    for line in tunnels.header(cols):
        assert width_of(line) <= max(width, 1 + cols.name + 2 + cols.stage * 11)
    starts = {_plain(tunnels.row(seam_of(d), cols)).index("▐") for d in demo.tunnels}
    assert starts == {cols.seam_at - 1}
    for diagnosis in demo.tunnels:
        assert width_of(tunnels.row(seam_of(diagnosis), cols)) <= width + 1
    text = "\n".join(_plain(line) for line in tunnels.header(cols))
    for name in ("underlay", "selectors", "failover"):
        assert name in text


@pytest.mark.parametrize("width", WIDTHS[1:])
def test_a_tunnel_s_page_fits_and_its_stops_are_stages_and_proof(demo: Examined, width: int) -> None:
    for diagnosis in demo.tunnels:
        places = diagnosis.findings[0].evidence if diagnosis.findings else tunnel.standing_proof(diagnosis)
        built = tunnel.page(diagnosis, width, 0, texts_at(diagnosis.picture, places))
        assert all(width_of(line) <= width for line, _ in built)
        assert sum(item.stage is not None for _, item in built) == 10
        assert [item.place for _, item in built if item.place] == list(places)


@pytest.mark.parametrize("width", (50, 72, 100))
@pytest.mark.parametrize("both", (False, True))
def test_a_ladder_fits_and_every_message_has_its_row(demo: Examined, width: int, both: bool) -> None:
    for diagnosis in demo.tunnels:
        picture = diagnosis.picture
        for attempt in range(len(picture.negotiations)):
            ladder = ladder_of(picture, attempt)
            built = negotiation.ladder_lines(ladder, diagnosis, width, both)
            assert all(width_of(line) <= width for line, _ in built)
            assert [row for _, row in built if row >= 0] == list(range(len(ladder.rows)))
            assert sum(r.step is not None for r in ladder.rows) == len(picture.negotiations[attempt].steps)


@pytest.mark.parametrize("width", (40, 60, 85))
def test_a_ledger_fits_whatever_message_is_chosen(demo: Examined, width: int) -> None:
    for diagnosis in demo.tunnels:
        found = diagnosis.picture.negotiations
        ladder = ladder_of(diagnosis.picture, 0)
        for row in [*ladder.rows, None]:
            lines = negotiation.ledger_lines(diagnosis, found[0] if found else None, row, width)
            assert all(width_of(line) <= width for line in lines)


def test_without_packets_the_ladder_is_made_of_both_logs(demo: Examined) -> None:
    diagnosis = next(d for d in demo.tunnels if d.picture.name == "quayhead-marram")
    ladder = ladder_of(replace(diagnosis.picture, negotiations=()), 0)
    assert ladder.heading == "no packets of this tunnel"
    assert {row.where.file for row in ladder.rows if row.where} == {"quayhead/ike.log", "marram/gateway.log"}
    assert [r.at for r in ladder.rows] == sorted(r.at for r in ladder.rows if r.at is not None)
    assert any(r.tone == "change" for r in ladder.rows)


def test_what_an_end_without_evidence_is_set_to(demo: Examined) -> None:
    diagnosis = next(d for d in demo.tunnels if d.picture.name == "quayhead-saltern")
    found = {s.name: (s.value, s.basis) for s in evident_settings(diagnosis.picture, diagnosis.picture.right)}
    assert found["KE"] == ("group 14", "only value in all 14 attempts")
    assert found["ENCR"][0] == "AES-GCM-16-256"
    assert found["habit"][0] == "starts by itself, about every 30 s; ignores refusals; 4 tries"
    assert evident_settings(diagnosis.picture, diagnosis.picture.left) == ()


def test_selector_bars_show_the_missing_half(demo: Examined) -> None:
    diagnosis = next(d for d in demo.tunnels if d.picture.name == "quayhead-marram")
    axis, means, has = (_plain(line) for line in tunnel.selector_bars(diagnosis, diagnosis.findings[0], 160))
    assert "10.66.0.0" in axis
    assert means.count("█") == 64
    assert has.count("█") == has.count("░") == 32


def test_the_filter_takes_every_word_anywhere(demo: Examined) -> None:
    def shown(words: str) -> list[str]:
        return [d.picture.right.title for d in demo.worst_first() if fits(d, words)]

    assert shown("") == [
        "Saltern",
        "Driftwood",
        "Marram",
        "Gannet",
        "Brackish Freight",
        "Eelgrass",
        "Whelk",
        "Petrel",
        "Samphire",
        "Petrel",
        "Farlight",
    ]
    assert shown("IKE broken") == ["Saltern", "Driftwood"] and shown("ike-proposal") == ["Saltern"]
    assert shown("group 14 saltern") == ["Saltern"]
    assert shown("working") == ["Petrel", "Farlight"]


def test_a_thousand_tunnels_build_only_the_rows_that_are_asked_for(demo: Examined) -> None:
    many = [demo.tunnels[n % 5] for n in range(1000)]
    assert tunnels.summary(many, 1000).startswith("1000 tunnels · 600 broken · 200 degraded")


def test_marks_stand_for_what_was_understood(demo: Examined) -> None:
    events = {e.what.name: e for d in demo.tunnels for end in d.picture.ends for e in end.events}
    assert evidence.mark_of(events["IKE_PROPOSAL_REFUSED"]) == ("╱", "change")
    assert evidence.mark_of(events["CHILD_UP"]) == ("━", "proven")
    assert evidence.mark_of(None) == (" ", "plain")
    line = evidence.text_line(7, 4, "x" * 300, events["CHILD_UP"], 60)
    assert width_of(line) <= 60


def test_a_message_s_own_words_without_time_and_host() -> None:
    assert message_of("May  4 09:14:07 marram sealkeeper[412]: Second phase refused") == "Second phase refused"
    assert message_of("2026-05-04T09:14:20.019Z quayhead ike [4] no IKE proposal") == "no IKE proposal"


def test_two_ends_that_could_change_break_the_seam_in_the_middle(demo: Examined) -> None:
    seams = {d.picture.name: seam_of(d) for d in demo.tunnels}
    assert seams["quayhead-saltern"].stretches[1][1].value == "break in the middle"
    assert seams["quayhead-marram"].stretches[3][1].value == "break at the right end"
    assert (seams["quayhead-saltern"].left_known, seams["quayhead-saltern"].right_known) == (True, False)


def test_fields_and_negation_narrow_the_list(demo: Examined) -> None:
    def shown(words: str) -> list[str]:
        return [d.picture.right.title for d in demo.worst_first() if fits(d, words)]

    assert shown("is:degraded -at:whelk") == ["Brackish Freight", "Eelgrass", "Petrel"]
    assert shown("in:ike") == ["Saltern", "Driftwood"]
    assert shown("has:weak-algorithm") == ["Driftwood"]
    assert shown("at:farlight is:working") == ["Petrel", "Farlight"]
    assert shown("-is:broken -is:degraded -is:working") == ["Samphire"]
    assert shown("is: -") == []


def test_groups_hold_every_tunnel_once(demo: Examined) -> None:
    order = demo.worst_first()
    for how in grouped.ORDERS:
        rows = grouped.rows_of(order, how)
        tunnels_ = [r for r in rows if not isinstance(r, grouped.Heading)]
        assert sorted(d.picture.name for d in tunnels_) == sorted(d.picture.name for d in order)
        assert sum(r.count for r in rows if isinstance(r, grouped.Heading)) in (0, len(order))
    states = [r.name for r in grouped.rows_of(order, "by state") if isinstance(r, grouped.Heading)]
    assert states == ["broken", "degraded", "idle", "working"]
