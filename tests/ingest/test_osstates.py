"""The operating system's list of SAs: pairs with what they carried, and no key anywhere."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest

from stomion.ingest.osstates import read_states
from stomion.ingest.textfile import TextFile
from stomion.jobs.examine import Examined
from stomion.jobs.summary import as_json_bytes, summary_of
from twosheets import LEFT, RIGHT, SHEET

Case = Callable[[dict[str, str | bytes]], Examined]
KEY = "0x" + "5ec2e7" * 10
LIST = f"""src 192.0.2.10 dst 198.51.100.34
\tproto esp spi 0xc1a2b3d4(3248665556) reqid 1(0x00000001) mode tunnel
\treplay-window 0 seq 0x00000000 flag af-unspec (0x00100000)
\tauth-trunc hmac(sha256) {KEY} (256 bits) 128
\tenc cbc(aes) {KEY} (256 bits)
\tencap type espinudp sport 4500 dport 4500 addr 0.0.0.0
\tlifetime current:
\t  8400(bytes), 100(packets)
\t  add 2026-05-04 09:10:00 use 2026-05-04 09:10:01
\tstats:
\t  replay-window 0 replay 0 failed 0
src 198.51.100.34 dst 192.0.2.10
\tproto esp spi 0x0a1b2c3d(169552957) reqid 1(0x00000001) mode tunnel
\tauth-trunc hmac(sha256) {KEY} (256 bits) 128
\tenc cbc(aes) {KEY} (256 bits)
\tlifetime current:
\t  7980(bytes), 95(packets)
\tstats:
\t  replay-window 0 replay 3 failed 2
"""


def test_pairs_with_what_they_carried(case: Case) -> None:
    files = {
        "sites/quayhead.toml": SHEET.format(**LEFT),
        "sites/marram.toml": SHEET.format(**RIGHT),
        "quayhead/states.txt": LIST,
    }
    found = summary_of(case(dict(files)))
    (sa,) = found.tunnels[0].sas
    assert (sa.end, sa.spi_in, sa.spi_out, sa.encryption, sa.integrity, sa.state) == (
        "quayhead", "0a1b2c3d", "c1a2b3d4", "AES-CBC-256", "HMAC-SHA2-256-128", "up",
    )  # fmt: skip
    assert (sa.packets_in, sa.packets_out, sa.bytes_in, sa.bytes_out) == (95, 100, 7980, 8400)
    assert KEY[2:] not in as_json_bytes(found).decode()
    assert not found.not_used


def test_no_key_is_shown_with_its_line(tmp_path: Path) -> None:
    (tmp_path / "states.txt").write_text(LIST)
    text = TextFile(tmp_path / "states.txt")
    shown = "\n".join(text.line(n) for n in range(1, len(text) + 1))
    assert KEY[2:] not in shown
    assert "enc cbc(aes) 0x…" in shown
    assert "spi 0xc1a2b3d4" in shown


def test_errors_are_counted() -> None:
    out, back = read_states(enumerate(LIST.split("\n"), 1), "f", "quayhead")
    assert (back.replay, back.integrity_failed, out.replay, out.udp, back.udp) == (3, 2, 0, True, False)


@pytest.mark.parametrize(
    ("line", "name"),
    [
        (f"\taead rfc4106(gcm(aes)) {KEY} (288 bits) 128", "AES-GCM-16-256"),
        ("\taead rfc4106(gcm(aes)) 0x" + "0" * 40 + " 96", "AES-GCM-12-128"),
        ("\tenc cbc(aes) 0x" + "0" * 32, "AES-CBC-128"),
        ("\tenc cbc(des3_ede) 0x" + "0" * 48, "3DES"),
        ("\taead rfc7539esp(chacha20,poly1305) 0x" + "0" * 72 + " 128", "CHACHA20-POLY1305"),
    ],
)
def test_names_of_ciphers(line: str, name: str) -> None:
    text = ["src 192.0.2.10 dst 198.51.100.34", "\tproto esp spi 0x1 reqid 1 mode tunnel", line]
    (state,) = read_states(enumerate(text, 1), "f", "quayhead")
    assert (state.encryption, state.spi) == (name, "00000001")


def _sad(spi: int, local: str, remote: str, packets: int, dropped: int) -> dict[str, object]:
    return {
        "name": f"sa-{spi}",
        "reqid": "7",
        "ipsec-sa-config": {
            "spi": spi,
            "esp-sa": {
                "encryption": {"encryption-algorithm": 12, "key-length": 256, "key": KEY},
                "integrity": {"integrity-algorithm": 12, "key": KEY},
            },
            "tunnel": {"local": local, "remote": remote},
        },
        "ipsec-sa-state": {
            "sa-lifetime-current": {"bytes": packets * 84, "packets": str(packets)},
            "replay-stats": {"packet-dropped": str(dropped), "failed": 0},
        },
    }


def test_pairs_from_model_data(case: Case, tmp_path: Path) -> None:
    a, b = "192.0.2.10", "198.51.100.34"
    entries = [_sad(0xC1A2B3D4, a, b, 100, 0), _sad(0x0A1B2C3D, b, a, 95, 3)]
    data = {"ietf-i2nsf-ikeless:ipsec-ikeless": {"sad": {"sad-entry": entries}}}
    text = json.dumps(data, indent=1)
    sheets: dict[str, str | bytes] = {
        "sites/quayhead.toml": SHEET.format(**LEFT),
        "sites/marram.toml": SHEET.format(**RIGHT),
    }
    found = summary_of(case({**sheets, "quayhead/sad.json": text}))
    (sa,) = found.tunnels[0].sas
    assert (sa.spi_in, sa.spi_out, sa.encryption, sa.integrity, sa.packets_in, sa.packets_out) == (
        "0a1b2c3d", "c1a2b3d4", "AES-CBC-256", "HMAC-SHA2-256-128", 95, 100,
    )  # fmt: skip
    (tmp_path / "sad.json").write_text(text)
    shown = TextFile(tmp_path / "sad.json")
    assert KEY[2:] not in "\n".join(shown.line(n) for n in range(1, len(shown) + 1))
