"""Tests that people copy: what is read out of a text, and what is left alone."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.jobs.examine import Examined
from stomion.jobs.summary import summary_of
from stomion.trials.counts import counts_of
from stomion.trials.model import Trial
from stomion.trials.reader import read_trials
from twosheets import LEFT, RIGHT, SHEET

Case = Callable[[dict[str, str | bytes]], Examined]
TEXTS = (Path(__file__).parent / "pasted.txt").read_text("utf-8")


def _read(text: str, sites: tuple[str, ...] = ()) -> list[Trial]:
    return read_trials(enumerate(text.split("\n"), 1), sites)


def _rows() -> dict[str, tuple[str, list[str], str]]:
    """name -> (source, tests, text) of every text; a heading is `=== name | from SOURCE; to service sent received error ; …`."""
    out = {}
    for block in TEXTS.split("=== ")[1:]:
        head, _, body = block.partition("\n")
        name, _, wanted = head.partition(" |")
        source, _, tests = wanted.strip().partition("; ") if wanted.strip().startswith("from ") else ("", "", wanted)
        out[name] = source.removeprefix("from "), [w.strip() for w in tests.split(" ; ") if w.strip()], body
    return out


@pytest.mark.parametrize(("source", "tests", "text"), _rows().values(), ids=_rows().keys())
def test_what_a_text_tells(source: str, tests: list[str], text: str) -> None:
    found = _read(text)
    assert [f"{t.to} {t.service} {t.sent} {t.received} {t.error}".strip() for t in found] == tests
    assert not source or {t.source for t in found} == {source}


@pytest.mark.parametrize(
    ("low", "counts"),
    [
        ("13 of 30 answered", (30, 13, None)),
        ("lost: 2/5", (5, None, 2)),
        ("sent=3 received=2 packet-loss=33%", (3, 2, None)),
        ("asked ten times, four times nothing came back within 2 seconds", (10, None, 4)),
        ("5 sent and all of them were answered", (5, 5, None)),
        ("8 requests, none was answered", (8, 0, None)),
        ("round trip min/avg/max = 1/2/4 ms", None),
        ("5 packet(s) transmitted", (5, None, None)),
    ],
)
def test_counts_in_words(low: str, counts: tuple[int | None, int | None, int | None] | None) -> None:
    found = counts_of(low)
    assert (found and (found.sent, found.received, found.lost)) == counts


def test_a_network_is_no_port_of_its_first_address() -> None:
    assert _read("branch open, 10.30.8.0/24 to 10.20.4.0/24, wagons 9be07731 in") == []
    assert [t.service for t in _read("connection to 10.30.8.7/443 open")] == ["tcp/443"]


def test_where_a_test_was_made() -> None:
    ping = "PING 10.66.0.9 (10.66.0.9) 56(84) bytes of data.\n1 packets transmitted, 1 received, 0% packet loss\n"
    text = f"## At quayhead\n{ping}\nFrom the desk (10.66.0.7):\n{ping.replace('10.66.0.9', '10.96.0.5')}"
    assert [t.source for t in _read(text, ("quayhead",))] == ["quayhead", "10.66.0.7"]


def test_moments_stand_only_where_a_zone_is_told() -> None:
    line = "64 bytes from 10.66.0.9: icmp_seq=1 ttl=62 time=20.1 ms"
    times = ["[1777885201.100000] ", "2026-05-04T09:00:01Z ", "2026-05-04 09:00:01 ", "09:00:01.1 ", ""]
    assert [_read(at + line)[0].at for at in times] == [1777885201.1, 1777885201.0, None, None, None]


def test_gaps_between_answers_are_lost_probes() -> None:
    line = "[177788520{0}.1] 64 bytes from 10.66.0.9: icmp_seq={0} ttl=62 time=20.1 ms"
    (trial,) = _read("\n".join(line.format(n) for n in (1, 2, 6)))
    assert [p.answered for p in trial.probes] == [True, True, False, False, False, True]
    assert (trial.sent, trial.received) == (6, 3)


def test_pasted_tests_reach_the_tunnel_they_are_about(case: Case) -> None:
    sheets = {"sites/quayhead.toml": SHEET.format(**LEFT), "sites/marram.toml": SHEET.format(**RIGHT)}
    texts = {
        "quayhead/hosts/desk/ping.txt": "Ping to 10.66.0.9: 5 sent, 5 answers received",
        "path/mail.txt": "Ping to 10.66.0.10: 5 sent, none answered",
        "quayhead/note.txt": "ping: files: Name or service not known",
        "quayhead/plan.txt": "Please ping 10.66.0.9 five times.",
    }
    (tunnel,) = summary_of(case({**sheets, **texts})).tunnels
    found = {(t.source, t.to, t.service, t.sent, t.received, t.error, t.at) for t in tunnel.tests}
    assert found == {
        ("quayhead/desk", "10.66.0.9", "icmp", 5, 5, "", None),
        ("quayhead (by its target)", "10.66.0.10", "icmp", 5, 0, "timeout", None),
        ("quayhead", "files", "icmp", 1, 0, "name", None),
    }


def test_a_log_and_tests_in_one_text_are_both_read(case: Case) -> None:
    log = "2026-05-04T09:10:00Z quayhead ike initiating IKE_SA to 198.51.100.20[500]\n"
    found = case({"quayhead/notes.txt": log + "\nPing to 10.66.0.9: 5 sent, 5 answers received\n"})
    assert [(t.record.to, t.line) for t in found.evidence.tests] == [("10.66.0.9", 3)]
    assert [e.where.line for e in found.evidence.logs[0].events] == [1]


@given(st.lists(st.text(max_size=60), max_size=12), st.lists(st.sampled_from(TEXTS.split("\n")), max_size=12))
def test_no_text_breaks_the_reader(words: list[str], lines: list[str]) -> None:
    for trial in _read("\n".join(x for pair in zip(lines, words, strict=False) for x in pair)):
        assert 0 <= trial.received <= trial.sent
        assert trial.line > 0
