"""Reading files: capture formats and link types, damage with its place, recognition by content, hostile input."""

from __future__ import annotations

import gzip
import io
import itertools
import os
import struct
from collections.abc import Callable
from pathlib import Path

import pytest

import samples
from stomion.errors import Cancelled, UsageError
from stomion.ingest.capture import read_capture
from stomion.ingest.folder import read_case
from stomion.ingest.kinds import recognised
from stomion.ingest.textfile import TextFile
from stomion.jobs.examine import CancelToken, Examined, examine
from stomion.wire.hexdump import dumps_of

Case = Callable[[dict[str, str | bytes]], Examined]
A, B = "192.0.2.10", "203.0.113.10"
IKE = samples.init_request(14)
PACKET = samples.udp4(A, B, IKE)
SIX = samples.udp6(bytes.fromhex("20010db8" + "00" * 11 + "01"), bytes.fromhex("20010db8" + "00" * 11 + "02"), IKE)
SLL = b"\0\0\0\1\0\6" + b"\2" * 8 + b"\x08\0"
SLL2 = b"\x08\0\0\0" + b"\0" * 16

FILES = {
    "pcap": samples.pcap([samples.ethernet(PACKET)]),
    "pcap, big-endian": samples.pcap([samples.ethernet(PACKET)], order=">"),
    "pcap, nanoseconds": samples.pcap([samples.ethernet(PACKET)], nano=True),
    "pcap, VLAN": samples.pcap([samples.ethernet(PACKET, 7)]),
    "pcap, two VLANs": samples.pcap([samples.ethernet(PACKET, 7, 9)]),
    "pcap, raw IP": samples.pcap([PACKET], link=101),
    "pcap, cooked": samples.pcap([SLL + PACKET], link=113),
    "pcap, cooked v2": samples.pcap([SLL2 + PACKET], link=276),
    "pcap, loopback": samples.pcap([b"\2\0\0\0" + PACKET], link=0),
    "pcap, port 4500": samples.pcap([samples.ethernet(samples.udp4(A, B, b"\0" * 4 + IKE, 4500, 4500))]),
    "pcapng": samples.pcapng([(0, samples.ethernet(PACKET))]),
    "pcapng, big-endian": samples.pcapng([(0, samples.ethernet(PACKET))], order=">"),
    "pcapng, second interface": samples.pcapng([(1, PACKET)], links=(1, 101)),
}


@pytest.mark.parametrize("data", FILES.values(), ids=FILES.keys())
def test_the_same_message_from_every_kind_of_capture(data: bytes) -> None:
    capture, trouble = read_capture(io.BytesIO(data), "x", "quayhead")
    assert trouble is None
    (found,) = capture.datagrams
    assert (found.src, found.dst, found.payload, found.ttl) == (A, B, IKE, 64)
    assert found.at == pytest.approx(1_777_880_000, abs=1)


def test_ipv6_is_read_too() -> None:
    capture, _ = read_capture(io.BytesIO(samples.pcap([samples.ethernet(SIX)])), "x", None)
    assert (capture.datagrams[0].src, capture.datagrams[0].payload) == ("2001:db8::1", IKE)


def test_fragments_are_put_together_in_any_order_and_a_lone_first_one_is_marked() -> None:
    head, body = bytearray(PACKET[:20]), PACKET[20:]

    def part(start: int, stop: int) -> bytes:
        h = bytearray(head)
        h[2:4] = (20 + stop - start).to_bytes(2, "big")
        h[6:8] = ((0x2000 if stop < len(body) else 0) | start // 8).to_bytes(2, "big")
        return samples.ethernet(bytes(h) + body[start:stop])

    pieces = [part(0, 160), part(160, 320), part(320, len(body))]
    for order in ((0, 1, 2), (2, 0, 1), (1, 2, 0)):
        capture, _ = read_capture(io.BytesIO(samples.pcap([pieces[i] for i in order])), "x", None)
        assert [d.payload for d in capture.datagrams] == [IKE]
    capture, _ = read_capture(io.BytesIO(samples.pcap(pieces[:1])), "x", None)
    assert capture.datagrams[0].more_fragments


def _tcp(data: bytes, sequence: int, port: int = 4500) -> bytes:
    segment = struct.pack(">HHIIBBHHH", 51_000, port, sequence, 0, 0x50, 0x18, 8192, 0, 0) + data
    head = bytearray(samples.udp4(A, B, b"")[:20])
    head[2:4], head[9] = (20 + len(segment)).to_bytes(2, "big"), 6
    return samples.ethernet(bytes(head) + segment)


@pytest.mark.parametrize("cuts", [(), (3,), (6, 7, 200), (50, 100, 150)])
def test_ike_over_tcp_is_recognised_however_it_is_cut(cuts: tuple[int, ...]) -> None:
    """RFC 9329: prefix, then length, marker and message; ESP between them is stepped over; segments may swap places."""
    body = b"\0" * 4 + IKE
    stream = b"IKETCP" + (2 + len(body)).to_bytes(2, "big") + body + (22).to_bytes(2, "big") + b"\1" * 20
    edges = [0, *cuts, len(stream)]
    segments = [_tcp(stream[a:z], 1000 + a) for a, z in itertools.pairwise(edges)]
    swapped = [segments[0], *reversed(segments[1:])]
    for order in (segments, swapped):
        capture, _ = read_capture(io.BytesIO(samples.pcap(order)), "x", None)
        assert [d.payload for d in capture.datagrams] == [IKE]
    capture, _ = read_capture(io.BytesIO(samples.pcap([_tcp(stream, 1, 443)])), "x", None)
    assert not len(capture.datagrams)


def test_esp_is_counted_and_closed_ports_are_noted() -> None:
    esp = samples.ethernet(samples.udp4(A, B, b"\xc1\xa2\xb3\xd4" + b"\0" * 40, 4500, 4500))
    icmp = bytes([3, 3, 0, 0, 0, 0, 0, 0]) + PACKET[:28]
    head = bytearray(PACKET[:20])
    head[2:4], head[9] = (20 + len(icmp)).to_bytes(2, "big"), 1
    capture, _ = read_capture(io.BytesIO(samples.pcap([esp, esp, samples.ethernet(bytes(head) + icmp)])), "x", None)
    assert [(f.spi, f.packets) for f in capture.esp.values()] == [("c1a2b3d4", 2)]
    assert [(u.dport, u.port_closed) for u in capture.unreachables] == [(500, True)]


@pytest.mark.parametrize("name", ["pcap", "pcapng"])
def test_a_truncated_capture_keeps_what_was_whole(name: str) -> None:
    data = (
        samples.pcap([samples.ethernet(PACKET)] * 3)
        if name == "pcap"
        else samples.pcapng([(0, samples.ethernet(PACKET))] * 3)
    )
    capture, trouble = read_capture(io.BytesIO(data[:-9]), "x", None)
    assert capture.packets == 2
    assert trouble is not None
    assert "ends inside" in trouble.what


def test_absurd_lengths_are_not_believed() -> None:
    data = samples.pcap([samples.ethernet(PACKET)]) + struct.pack("<IIII", 1, 1, 0xFFFFFFF0, 0xFFFFFFF0)
    capture, trouble = read_capture(io.BytesIO(data), "x", None)
    assert capture.packets == 1
    assert "claims" in trouble.what


def test_any_cut_or_flipped_byte_of_a_capture_is_survived() -> None:
    for data in (FILES["pcap"], FILES["pcapng"]):
        for at in range(len(data)):
            read_capture(io.BytesIO(data[:at]), "x", None)
            read_capture(io.BytesIO(data[:at] + bytes([data[at] ^ 0xFF]) + data[at + 1 :]), "x", None)


def test_bad_input_gets_a_line_each_and_the_rest_is_read(case: Case) -> None:
    log = b"2026-05-04T09:14:07Z gw ike IKE SA with 203.0.113.10 established caf\xe9\n\0\0\n"
    examined = case(
        {
            "quayhead/ike.log": log,
            "quayhead/cut.pcap": samples.pcap([samples.ethernet(PACKET)] * 2)[:-3],
            "quayhead/odd.bin": b"\x01\x02\x03\xff\xfe" * 40,
            "quayhead/none": b"",
            "quayhead/records.jsonl": '{"kind":"test","at":5}\n{"kind":"event","at":"2026-05-04T09:14:07Z","what":"note"}\n{{{\n',
            "quayhead/deep.json": "[" * 60_000,
            "quayhead/torn.gz": gzip.compress(log * 50)[:-20],
            "sites/quayhead.toml": 'site = "quayhead"\n[[tunnel]\n',
            "sites/other.toml": 'site = "other"\n[[tunnel]]\nname = 5\n',
        }
    )
    evidence = examined.evidence
    problems = {p.file: p for p in evidence.problems}
    assert problems["quayhead/ike.log"].line == 1
    assert "Latin-1" in problems["quayhead/ike.log"].text
    assert "ends inside packet 2" in problems["quayhead/cut.pcap"].text
    assert "gzip" in problems["quayhead/torn.gz"].text
    assert problems["sites/quayhead.toml"].line == 2
    assert "this [[tunnel]] has no name" in problems["sites/other.toml"].text
    assert {n.file for n in evidence.not_recognised} >= {"quayhead/odd.bin", "quayhead/none", "quayhead/deep.json"}
    assert [p.line for p in evidence.problems if p.file == "quayhead/records.jsonl"] == [1, 3]
    assert len(evidence.happenings) == 1
    assert any(e.text.endswith("café") for log_ in evidence.logs for e in log_.events)


def test_odd_files_are_left_alone(tmp_path: Path) -> None:
    (tmp_path / "quayhead").mkdir()
    os.mkfifo(tmp_path / "quayhead" / "pipe")
    (tmp_path / "quayhead" / "loop").symlink_to("loop")
    found = read_case([tmp_path])
    assert {n.file for n in found.not_recognised} == {"quayhead/pipe", "quayhead/loop"}


@pytest.mark.skipif(os.geteuid() == 0, reason="root may read everything")
def test_a_file_without_permission_is_one_line(tmp_path: Path) -> None:
    path = tmp_path / "a.log"
    path.write_text("ike")
    path.chmod(0)
    assert [p.text for p in read_case([tmp_path]).problems] == ["no permission to read it"]


def test_an_empty_folder_and_a_missing_one(tmp_path: Path) -> None:
    assert read_case([tmp_path]).sources == []
    with pytest.raises(UsageError):
        read_case([tmp_path / "nowhere"])


def test_reading_can_be_cancelled_and_changes_nothing(tmp_path: Path) -> None:
    (tmp_path / "a").write_bytes(FILES["pcap"])
    before = sorted(tmp_path.rglob("*"))
    with pytest.raises(Cancelled):
        examine([tmp_path], token=CancelToken(cancelled=True))
    assert sorted(tmp_path.rglob("*")) == before


def test_lines_of_a_text_file_by_number(tmp_path: Path) -> None:
    path = tmp_path / "x.log"
    path.write_bytes(b"one\ntwo\x1b[2J\r\n\nlast")
    text = TextFile(path)
    assert (len(text), [text.line(n) for n in range(6)]) == (4, ["", "one", "two\ufffd", "", "last", ""])
    packed = tmp_path / "x.gz"
    packed.write_bytes(gzip.compress(b"one\ntwo\n"))
    assert [TextFile(packed).line(n) for n in (1, 2)] == ["one", "two"]


def test_a_growing_file_and_lines_with_words(tmp_path: Path) -> None:
    path = tmp_path / "x.log"
    path.write_bytes(b"one Ike\ntwo\nthree iKE ike\nfour")
    text = TextFile(path)
    assert list(text.lines_with("IKE")) == [1, 3]
    assert list(text.lines_with("four")) == [4]
    assert list(text.lines_with("nothing")) == []
    for added, lines in ((b" more\n", 4), (b"five ike\nsix", 6), (b"", 6)):
        with path.open("ab") as out:
            out.write(added)
        assert text.grow() == lines
    assert [text.line(n) for n in (4, 5, 6)] == ["four more", "five ike", "six"]
    assert list(text.lines_with("ike")) == [1, 3, 5]
    path.write_bytes(b"anew\n")
    assert (text.grow(), text.line(1)) == (1, "anew")


DUMPS = {
    "bare": IKE.hex(),
    "spaced": IKE.hex(" "),
    "offsets": "\n".join(f"{i:04x}  {IKE[i : i + 16].hex(' ')}" for i in range(0, len(IKE), 16)),
    "offsets, text": "\n".join(
        f"0x{i:04x}:  {IKE[i : i + 16].hex(' ', 2)}  ..A.|..n......" for i in range(0, len(IKE), 16)
    ),
}


@pytest.mark.parametrize("text", DUMPS.values(), ids=DUMPS.keys())
def test_hex_dumps_from_a_console(text: str) -> None:
    assert [bytes(d.data) for d in dumps_of(text.splitlines())] == [IKE]


PING = """$ ping -D -O 10.66.0.9
PING 10.66.0.9 (10.66.0.9) 24(52) bytes of data.
[1777886042.278864] 32 bytes from 10.66.0.9: icmp_seq=1 ttl=62 time=1.43 ms
[1777886043.301] no answer yet for icmp_seq=2
[1777886045.1] 32 bytes from 10.66.0.9: icmp_seq=4 ttl=62 time=0.806 ms
From 10.96.0.1 icmp_seq=5 Destination Host Unreachable

--- 10.66.0.9 ping statistics ---
5 packets transmitted, 2 received, 60% packet loss, time 4ms
"""


def test_what_ping_printed_becomes_probes(case: Case) -> None:
    assert recognised(PING.encode()) == recognised(PING.split("\n", 1)[1].encode()) == "pasted tests"
    evidence = case({"quayhead/hosts/host-a/ping.txt": PING}).evidence
    found = [p.record for p in evidence.pings]
    assert [(r.seq, r.rtt_ms) for r in found] == [(1, 1.43), (2, None), (3, None), (4, 0.806), (5, None)]
    assert evidence.pings[0].line == 3 and found[0].at.startswith("2026-05-04T09:14:02")
    assert {(r.source, r.to) for r in found} == {("quayhead/host-a", "10.66.0.9")}
    assert [(s.kind, s.count) for s in evidence.sources] == [("ping", 5)]
