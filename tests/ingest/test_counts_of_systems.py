"""Counters as tables with columns, what a system threw away, and the errors of its links."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest
from test_osstates import LIST

from stomion.jobs.examine import Examined
from stomion.jobs.summary import summary_of
from twosheets import LEFT, RIGHT, SHEET

Case = Callable[[dict[str, str | bytes]], Examined]
SHEETS: dict[str, str | bytes] = {
    "sites/quayhead.toml": SHEET.format(**LEFT),
    "sites/marram.toml": SHEET.format(**RIGHT),
}
LOST = '{"kind":"test","at":"2026-05-04T09:14:00Z","from":"marram/host-b","to":"10.96.0.9","service":"icmp","sent":60,"received":35}\n'


def test_a_table_of_counters_reads_as_the_same_records_do(case: Case) -> None:
    rows = [
        "at;site;spi_in;spi_out;packets_in;bytes_in;packets_out;bytes_out;local_ts;errors.replay",
        "2026-05-04T09:10:00Z;quayhead;c1a2b3d4;0a1b2c3d;10;840;20;1680;10.64.0.0/21 10.65.0.0/21;0",
        "2026-05-04T09:12:00Z;quayhead;c1a2b3d4;0a1b2c3d;14;1176;28;2352;;4",
        "2026-05-04T09:13:00Z;quayhead;c1a2b3d4;0a1b2c3d;many;1176;28;2352;;4",
    ]
    evidence = case({**SHEETS, "quayhead/poll.csv": "\n".join(rows) + "\n"}).evidence
    assert [(list(s.out), s.first.local_ts, list(s.column("replay")), list(s.lines)) for s in evidence.counters] == [
        ([20], ("10.64.0.0/21", "10.65.0.0/21"), [0], [2]),
        ([28], (), [4], [3]),
    ]
    (problem,) = evidence.problems
    assert problem.line == 4 and "packets_in" in problem.text


@pytest.mark.parametrize(
    "head",
    [
        "at,from,to,service,sent,received,error",
        '"at","from","to","service","sent","received","error"',
        "kind\tat\tfrom\tto\tservice\tsent\treceived\terror",
    ],
)
def test_tests_as_a_table(case: Case, head: str) -> None:
    separator = "\t" if "\t" in head else ","
    row = ["2026-05-04T09:10:00Z", "quayhead/host-a", "10.66.0.9", "tcp/80", "1", "0", "timeout"]
    cells = ["test", *row] if head.startswith("kind") else row
    found = summary_of(case({**SHEETS, "path/tests.csv": f"{head}\r\n{separator.join(cells)}\r\n"}))
    (test,) = found.tunnels[0].tests
    assert (test.to, test.service, test.sent, test.received, test.error, test.line) == (
        "10.66.0.9", "tcp/80", 1, 0, "timeout", 2,
    )  # fmt: skip


@pytest.mark.parametrize("text", ["name,at,price\nfoo,2026-05-04,3\n", "at the time,from there\n"])
def test_other_tables_are_no_records(case: Case, text: str) -> None:
    assert not case({**SHEETS, "quayhead/list.csv": text}).evidence.counters


def test_a_list_of_sas_proves_late_packets_where_pings_are_lost(case: Case) -> None:
    late = LIST.replace("replay 3 failed 2", "replay 25 failed 2")
    (tunnel,) = case({**SHEETS, "quayhead/states.txt": late, "path/tests.jsonl": LOST}).tunnels
    first = tunnel.first_fault
    assert (
        first is not None and first.code == "replay-drops" and "Quayhead threw 25 of Marram's packets" in first.summary
    )
    assert (first.evidence[0].file, first.evidence[0].line) == ("quayhead/states.txt", 13)


def test_a_list_without_loss_is_no_fault(case: Case) -> None:
    late = LIST.replace("replay 3 failed 2", "replay 25 failed 2")
    (tunnel,) = case({**SHEETS, "quayhead/states.txt": late}).tunnels
    assert tunnel.first_fault is None


STAT = "XfrmInError                     0\nXfrmInStateProtoError           {}\nXfrmInStateSeqError             0\n"


@pytest.mark.parametrize(("later", "code"), [(48, "integrity-failures"), (9, "packet-loss"), (3, "packet-loss")])
def test_what_a_whole_gateway_threw_away_counts_by_its_rise(case: Case, later: int, code: str) -> None:
    files = {
        "quayhead/drops-1.txt": STAT.format(4),
        "quayhead/drops-2.txt": STAT.format(later),
        "path/tests.jsonl": LOST,
    }
    (tunnel,) = case({**SHEETS, **files}).tunnels
    first = tunnel.first_fault
    assert first is not None and first.code == code
    if code == "integrity-failures":
        assert first.certainty.value == "possible" and "44 packets, over all its tunnels" in first.summary


def test_one_reading_since_the_start_proves_nothing(case: Case) -> None:
    (tunnel,) = case({**SHEETS, "quayhead/drops.txt": STAT.format(400), "path/tests.jsonl": LOST}).tunnels
    assert tunnel.first_fault is not None and tunnel.first_fault.code == "packet-loss"


def test_errors_of_a_link_stand_beside_the_loss(case: Case) -> None:
    links = [{"ifname": "wan0", "stats64": {"rx": {"packets": 9000, "errors": 312, "crc_errors": 312, "dropped": 0}}}]
    (tunnel,) = case({**SHEETS, "marram/links.json": json.dumps(links), "path/tests.jsonl": LOST}).tunnels
    first = tunnel.first_fault
    assert first is not None and first.code == "packet-loss"
    assert "Marram's wan0 counts 312 damaged packets received" in first.detail
