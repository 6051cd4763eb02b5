"""State output of invented makes: the same SA in every style, states in one vocabulary, and logs that are no listing."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.jobs.examine import Examined
from stomion.jobs.summary import summary_of
from stomion.listings.reader import listed_of
from stomion.listings.states import state_of
from stomion.model.sa import SaState
from twosheets import LEFT, RIGHT, SHEET

Case = Callable[[dict[str, str | bytes]], Examined]
PEER, OTHER = "198.51.100.34", "203.0.113.156"
TABLE = f"""Tunnels of quayhead, own address 192.0.2.10

    Peer           State  SPI       SPI       Cipher        Age      Packets  Packets  Bytes     Bytes
No  address               in        out                     h:mm:ss  in       out      in        out
===================================================================================================
1   {PEER}  UP     C031F317  C9E671CE  aes256-gcm16  0:54:01  34846    79778    11603718  58237940
2   {OTHER}  IDLE   -         -         -             -        -        -        -         -
"""
BARS = f"""+----+---------------+--------+----------+----------+--------------+----------+---------+--------+----------+-----------+
| id | remote        | status | in-spi   | out-spi  | cipher       | up       | in pkts | out pkts | in bytes | out bytes |
+----+---------------+--------+----------+----------+--------------+----------+---------+--------+----------+-----------+
| 1  | {PEER} | est    | c031f317 | c9e671ce | aes256-gcm16 | 54m01s   | 34846   | 79778    | 11603718 | 58237940  |
| 2  | {OTHER} | idle   |          |          |              |          |         |          |          |           |
+----+---------------+--------+----------+----------+--------------+----------+---------+--------+----------+-----------+
"""
PARAGRAPHS = f"""Tunnel 1 to marram (192.0.2.10 - {PEER})
    state: established
    inbound SPI: 0xc031f317
    outbound SPI: 0xc9e671ce
    encryption: AES-GCM-16 256
    age: 54m1s
    received: 34846 packets, 11603718 bytes
    sent: 79778 packets, 58237940 bytes

Tunnel 2 to whelk (192.0.2.10 - {OTHER})
    state: waiting for traffic
"""
DOTTED = f"""SA to Marram
  Remote gateway ........ {PEER}
  Status ................ Active
  Incoming SPI .......... c031f317
  Outgoing SPI .......... c9e671ce
  Encryption ............ AES-256-GCM
  Established for ....... 00:54:01
  Packets in/out ........ 34846/79778
  Bytes in/out .......... 11603718/58237940

SA to Whelk
  Remote gateway ........ {OTHER}
  Status ................ Waiting for traffic
"""
NESTED = f"""connection "to-marram" 192.0.2.10 <-> {PEER}
  IKE: established, 54m ago
  child lan: INSTALLED
    inbound:
      spi: 0xc031f317
      cipher: aes256gcm16
      packets: 34846
      bytes: 11603718
    outbound:
      spi: 0xc9e671ce
      cipher: aes256gcm16
      packets: 79778
      bytes: 58237940
    age: 3241 s

connection "to-whelk" 192.0.2.10 <-> {OTHER}
  child lan: TRAP
"""
PAIRS = f"""time=2026-05-04T09:14:00Z tunnel=t1 local=192.0.2.10 remote={PEER} state=installed in_spi=c031f317 out_spi=c9e671ce \
enc=aes-gcm-16-256 age=3241 rx_pkts=34846 rx_bytes=11603718 tx_pkts=79778 tx_bytes=58237940
time=2026-05-04T09:14:00Z tunnel=t2 local=192.0.2.10 remote={OTHER} state=dormant retries=3
"""
SEPARATED = f"""peer,state,spi_in,spi_out,cipher,uptime_s,rx_packets,tx_packets,rx_bytes,tx_bytes
{PEER},UP,c031f317,c9e671ce,aes256gcm,3241,34846,79778,11603718,58237940
{OTHER},STANDBY,,,,,,,,
"""
OBJECTS = json.dumps({
    "sas": [
        {"name": "to-marram", "remote": PEER, "state": "ESTABLISHED", "spiIn": "c031f317", "spiOut": "c9e671ce",
         "encryption": "aes-256-gcm",
         "age": 3241, "packetsIn": 34846, "packetsOut": 79778, "bytesIn": 11603718, "bytesOut": 58237940},
        {"name": "to-whelk", "remote": OTHER, "state": "IDLE"},
    ]
})  # fmt: skip
SENTENCES = f"""tunnels at quayhead:
 #1 192.0.2.10 <-> {PEER}: installed for 54m1s, in c031f317 (34846 packets, 11603718 bytes), out c9e671ce (79778 packets, 58237940 bytes), \
aes256gcm16
 #2 192.0.2.10 <-> {OTHER}: waiting
"""
CELLS = f"""== quayhead: 2 tunnels (in/out) ==
[1] peer={PEER} | OPEN | spi c031f317/c9e671ce | AES256-GCM | up 0:54:01 | packets 34846/79778 | bytes 11603718/58237940
[2] peer={OTHER} | IDLE
"""
TURNED = f"""Tunnel       1              2
Remote       {PEER}  {OTHER}
State        UP             STANDBY
SPI in       c031f317       -
SPI out      c9e671ce       -
Encryption   aes256-gcm     -
Age          0:54:01        -
Packets in   34846          -
Packets out  79778          -
Bytes in     11603718       -
Bytes out    58237940       -
"""
HALVES = f"""Dir  Source           Destination      SPI         Cipher         State        Age       Packets   Bytes
---  ---------------  ---------------  ----------  -------------  -----------  --------  --------  ---------
in   {PEER}    192.0.2.10       0xc031f317  aes256-gcm16   mature       0:54:01   34846     11603718
out  192.0.2.10       {PEER}    0xc9e671ce  aes256-gcm16   mature       0:54:01   79778     58237940
-    192.0.2.10       {OTHER}    -           -              idle         -         -         -
"""
ELEMENTS = f"""<status gateway="quayhead">
 <tunnel><local>192.0.2.10</local><remote>{PEER}</remote><state>up</state><encryption>aes-256-gcm</encryption><age>3241</age>
  <inbound spi="c031f317" packets="34846" bytes="11603718"/><outbound spi="c9e671ce" packets="79778" bytes="58237940"/>
 </tunnel>
 <tunnel><local>192.0.2.10</local><remote>{OTHER}</remote><state>idle</state></tunnel>
</status>
"""
STYLES = {
    "table": TABLE, "bars": BARS, "paragraphs": PARAGRAPHS, "dotted": DOTTED, "nested": NESTED, "pairs": PAIRS, "separated": SEPARATED,
    "objects": OBJECTS, "sentences": SENTENCES, "cells": CELLS, "turned": TURNED, "halves": HALVES, "elements": ELEMENTS,
    **{path.stem: path.read_text() for path in sorted((Path(__file__).parent / "styles").glob("*.txt"))},
}  # fmt: skip


@pytest.mark.parametrize("style", STYLES)
def test_the_same_pair_in_every_style(style: str) -> None:
    one, other = listed_of(STYLES[style], "status.txt", "quayhead")
    sa = one.sa
    assert PEER in one.peers and OTHER in other.peers
    assert (sa.spi_in, sa.spi_out, sa.state) == ("c031f317", "c9e671ce", SaState.UP)
    assert sa.encryption == "AES-GCM-16-256"
    assert (sa.age_s, sa.packets_in, sa.packets_out, sa.bytes_in, sa.bytes_out) == (
        3241,
        34846,
        79778,
        11603718,
        58237940,
    )
    assert (other.sa.state, other.sa.spi_in, other.sa.age_s) == (SaState.IDLE, "", None)


@pytest.mark.parametrize(
    ("words", "state"),
    [
        ("ESTABLISHED", "up"), ("Up 3 hours", "up"), ("quick mode: idle", "up"),
        ("MATURE", "up"), ("est", "up"), ("not established", "down"),
        ("no SA", "down"), ("DOWN", "down"), ("failed: no answer", "down"), ("established, rekeying", "rekeying"), ("RKEY", "rekeying"),
        ("replaced, being deleted", "closing"), ("dying", "closing"), ("larval", "negotiating"), ("CONNECTING", "negotiating"),
        ("waiting for reply", "negotiating"), ("waiting for traffic", "idle"), ("on demand", "idle"), ("standby", "idle"), ("purple", None),
    ],
)  # fmt: skip
def test_states_in_one_vocabulary(words: str, state: str | None) -> None:
    assert state_of(words) == state


def _case(case: Case, text: str, **more: str) -> Examined:
    sheets = {"sites/quayhead.toml": SHEET.format(**LEFT), "sites/marram.toml": SHEET.format(**RIGHT)}
    return case({**sheets, "quayhead/status.txt": text, **{k.replace("__", "/"): v for k, v in more.items()}})


@pytest.mark.parametrize("style", STYLES)
def test_a_listing_gives_the_tunnel_its_sas(case: Case, style: str) -> None:
    examined = _case(case, STYLES[style])
    found = summary_of(examined)
    assert [s.kind for s in examined.evidence.sources if s.file == "quayhead/status.txt"] == ["SA listing"]
    (sa,) = found.tunnels[0].sas
    assert (sa.end, sa.spi_in, sa.state, sa.packets_out) == ("quayhead", "c031f317", "up", 79778)
    assert any("towards" in u.text and OTHER in u.text for u in found.not_used)


def test_counters_of_the_same_pair_are_completed(case: Case) -> None:
    row = {
        "kind": "counters",
        "at": "2026-05-04T09:10:00Z",
        "site": "quayhead",
        "tunnel": "t",
        "spi_in": "c031f317",
        "spi_out": "c9e671ce",
    }
    examined = _case(case, PAIRS, quayhead__c=json.dumps({**row, "packets_in": 5, "packets_out": 6}) + "\n")
    (sa,) = summary_of(examined).tunnels[0].sas
    assert (sa.packets_in, sa.bytes_in, sa.state, sa.state_words) == (5, 0, "up", "installed")


@pytest.mark.parametrize(
    "text",
    [
        't="1791871411" unit="fw" step="ike" status="refused-by-far" reason="auth-failed" conn="br1" far="192.0.2.91:4500"\n'
        * 5,
        "2026-05-04T09:14:00Z ike Child SA up with 198.51.100.34: SPI in c1a2b3d4 out 0a0b0c0d, packets 5 bytes 6\n"
        * 3,
        "state: open\nprice: 3\nname: Tunnel Street\n",
    ],
)
def test_logs_and_other_texts_are_no_listing(case: Case, text: str) -> None:
    kinds = [s.kind for s in _case(case, text).evidence.sources if s.file == "quayhead/status.txt"]
    assert "SA listing" not in kinds


@given(st.text(alphabet=st.sampled_from('spi state:=up-+|0123456789abcf., \n"{}[]'), max_size=300))
def test_any_text_is_read_to_its_end(text: str) -> None:
    listed_of(text, "f", "s")
    listed_of(TABLE + text, "f", "s")


@pytest.mark.parametrize(
    "text",
    [
        "\n".join(" " * n + "key" for n in range(3000)),
        "spi" + "." * 100_000 + " up",
        "peer  state  spi" + " " * 50_000 + "x\n====\n" * 99,
        "<a><state>" * 3000,
        "198.51.100.34: " + "a, " * 50_000 + "c031f317 c9e671ce",
    ],
)
def test_deep_and_wide_texts_end(text: str) -> None:
    assert listed_of(text, "f", "s") == []


def test_a_part_without_its_owner_stays_what_it_is() -> None:
    text = "inbound tunnel=9 spi=0xc031f317 packets=34846 bytes=11603718 state=up\n"
    (one,) = listed_of(text, "status.txt", "quayhead")
    assert (one.sa.spi_in, one.sa.packets_in) == ("c031f317", 34846)


def test_digits_of_a_longer_number_are_no_spi() -> None:
    found = listed_of(
        f"peer={PEER} state=up in_spi=123226294813 out_spi=0xc9e671ce cipher=aes256\n", "status.txt", "quayhead"
    )
    assert [one.sa.spi_in for one in found] == [""]


FAILED = f"""Tunnels of quayhead

Peer             State        Last error
{PEER}    connecting   no answer
{OTHER}    failed       no proposal chosen
"""
FAILED_BLOCKS = (
    f"tunnel to-marram\n  remote: {PEER}\n  state: connecting\ntunnel to-whelk\n  remote: {OTHER}\n  state: down\n"
)


@pytest.mark.parametrize("text", [FAILED, FAILED_BLOCKS])
def test_tunnels_of_which_none_stands_are_a_listing(case: Case, text: str) -> None:
    examined = _case(case, text)
    assert [s.kind for s in examined.evidence.sources if s.file == "quayhead/status.txt"] == ["SA listing"]
    (sa,) = summary_of(examined).tunnels[0].sas
    assert (sa.spi_in, sa.state) == (None, "negotiating")


@pytest.mark.parametrize(
    "text",
    [
        f"neighbour {PEER} state active\nneighbour {OTHER} state idle\n",
        "".join(
            f"clock=09:14:{n} text='ike step' peer={PEER} state={state}\n" for n, state in ((20, "down"), (26, "up"))
        ),
        f"ike: peer {PEER}\nstate machine entered CONNECTING\nstate machine entered DOWN, no answer from {PEER}\n",
    ],
)
def test_states_of_something_else_are_no_listing(case: Case, text: str) -> None:
    examined = _case(case, text)
    assert "SA listing" not in [s.kind for s in examined.evidence.sources]
