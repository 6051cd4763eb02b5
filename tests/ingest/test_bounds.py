"""What is over a bound is left out and said once, with its file and how much there was; and a log's year is nobody's local matter."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from pathlib import Path

import pytest

import samples
from stomion.exchange import negotiation
from stomion.ingest import osrows, ostables, records, sheet
from stomion.ingest.sheet import read_sheet
from stomion.jobs.decoding import decode_file
from stomion.jobs.examine import Examined, examine
from stomion.model.tables import Tables

Case = Callable[[dict[str, str | bytes]], Examined]


def _said(examined: Examined) -> list[str]:
    return [p.text for p in examined.evidence.problems]


def test_messages_of_one_sa_beyond_the_bound_are_counted(
    case: Case, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(negotiation, "MAX_STEPS", 3)
    monkeypatch.setattr("stomion.tunnel.build.MAX_STEPS", 3)
    monkeypatch.setattr("stomion.jobs.decoding.MAX_STEPS", 3)
    packet = samples.ethernet(samples.udp4("192.0.2.10", "198.51.100.34", samples.init_request(20)))
    capture = samples.pcap([packet] * 5)
    examined = case({"north/wan.pcap": capture})
    (line,) = [p for p in examined.evidence.problems if "IKE SA" in p.text]
    assert line.file == "north/wan.pcap" and "2 messages of the IKE SA" in line.text and "first 3" in line.text
    target = tmp_path / "wan.pcap"
    target.write_bytes(capture)
    assert any("2 messages beyond the first 3" in text for text in decode_file(target)[1])


def test_rows_of_a_table_beyond_the_bound_are_counted(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(osrows, "MAX_RULES", 2)
    text = b'[{"dst":"10.0.0.0/8"},{"dst":"10.1.0.0/16"},{"dst":"10.2.0.0/16"}]'
    tables = ostables.read_table("routes", text, "r", Tables("a"))
    assert len(tables.routes) == 2 and tables.doubts == ("1 entries beyond the first 2 are not read",)


def test_troubles_of_a_sheet_and_of_records_are_counted(case: Case, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sheet, "MAX_PROBLEMS", 2)
    monkeypatch.setattr(records, "MAX_PROBLEMS_PER_FILE", 2)
    reading = read_sheet('site = "s"\n' + '[[tunnel]]\nname = "t"\nike = 7\n' * 3)
    assert reading.troubles[-1] == (None, "3 more such troubles")
    lines = '{"kind":"test","at":"2026-05-04T09:14:00Z","from":"a","to":"10.0.0.1"}\n' + '{"kind":"test"}\n' * 5
    assert "3 more lines are no records" in _said(case({"path/records.jsonl": lines}))


def test_a_line_that_is_looked_at_in_part_is_said(case: Case) -> None:
    long = "2026-05-04T09:14:00Z gw ike initiating IKEv2 to 198.51.100.34:500 " + "x" * 20_000
    assert any("1 lines are longer than 16,384 characters" in text for text in _said(case({"north/ike.log": long})))


@pytest.mark.parametrize("zone", ["UTC", "Pacific/Auckland", "America/Los_Angeles"])
def test_the_year_of_a_log_is_the_same_wherever_the_program_runs(
    zone: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A record of the last evening of a year, and a log without a year: both are of that year in every zone."""
    monkeypatch.setenv("TZ", zone)
    time.tzset()
    try:
        for name, text in {
            "path/records.jsonl": '{"kind":"event","at":"2025-12-31T23:30:00Z","site":"north","what":"note"}\n',
            "north/ike.log": "Dec 31 23:40:00 gw ike initiating IKEv2 to 198.51.100.34:500\n",
        }.items():
            path = tmp_path / name
            path.parent.mkdir(exist_ok=True)
            path.write_text(text)
            os.utime(path, (0, 1_767_225_600))
        (log,) = examine([tmp_path]).evidence.logs
        assert log.events[0].at == 1_767_224_400.0
    finally:
        monkeypatch.undo()
        time.tzset()


def test_pairs_of_strangers_beyond_the_bound_are_counted(case: Case, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("stomion.tunnel.pairing.MAX_PAIRS", 2)
    packets = [
        samples.ethernet(samples.udp4("192.0.2.10", f"198.51.100.{n}", samples.init_request(20))) for n in range(1, 6)
    ]
    examined = case({"path/mid.pcap": samples.pcap(packets)})
    assert len(examined.tunnels) == 2
    assert _said(examined) == ["3 more pairs of addresses speak IKE; the 2 with the most packets are shown"]


def test_a_phrasebook_that_is_read_in_part_is_said(case: Case, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("stomion.ingest.folder.MAX_TABLE", 1 << 20)
    book = '[[phrase]]\ntext = "the far lamp is lit for {peer}"\nsays = "IKE SA up"\nby = "here"\n' + "#" * (1 << 20)
    examined = case(
        {"phrasebook.toml": book, "north/ike.log": "2026-05-04T09:14:00Z the far lamp is lit for 198.51.100.34\n"}
    )
    assert "only its first 1 MiB are read" in _said(examined)
