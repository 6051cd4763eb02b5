"""Inputs that once ended the program: each costs one line at most, everything else is still read."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from pathlib import Path

import pytest

SHEET = """site = "{site}"
[[tunnel]]
name = "{name}"
peer_site = "{far}"
local = "{local}"
peer = "{peer}"
ike = {ike}
"""
A, B = "198.51.100.1", "192.0.2.1"
BASE = {
    "case.toml": b'title = "t"\n',
    "north/x.log": f"2026-05-04T09:14:00Z north ike: no proposal chosen by peer {B}\n".encode(),
    "sites/north.toml": SHEET.format(site="north", name="t", far="south", local=A, peer=B, ike=2).encode(),
    "sites/south.toml": SHEET.format(site="south", name="t", far="north", local=B, peer=A, ike=1).encode(),
}
HUGE = b"x = 1" + b"0" * 5000
SPELL = "t\\u001b]0;TITLE\\u0007\\u001b[41mX\\u202e\\u009b\\u2060\\u061c"


def _yang(**route: object) -> bytes:
    row = {"destination-prefix": "10.0.0.0/8", "next-hop": {"next-hop-address": "192.0.2.9"}, **route}
    protocol = {"static-routes": {"ipv4": {"route": [row]}}}
    return json.dumps(
        {"ietf-routing:routing": {"control-plane-protocols": {"control-plane-protocol": [protocol]}}}
    ).encode()


def _connection(**more: object) -> bytes:
    return json.dumps({"ietf-i2nsf-ike:ipsec-ike": {"conn-entry": [{"name": "t", **more}]}}).encode()


def _nft(right: str) -> bytes:
    match = '{"match":{"left":{"payload":{"protocol":"tcp","field":"dport"}},"op":"==","right":' + right + "}}"
    chain = '{"chain":{"family":"ip","table":"f","name":"c","type":"filter","hook":"forward","prio":0}}'
    rule = '{"rule":{"family":"ip","table":"f","chain":"c","expr":[' + match + ',{"drop":null}]}}'
    return f'{{"nftables":[{chain},{rule}]}}'.encode()


CASES: dict[str, dict[str, bytes]] = {
    "a number of thousands of digits in case.toml": {"case.toml": HUGE},
    "in a sheet": {"sites/x.toml": HUGE},
    "in a phrasebook": {"phrasebook.toml": HUGE},
    "a digit that is no decimal as a name": {"case.toml": '[[tunnel]]\nname = "²"\nends = ["north", "south"]\n'.encode()},
    "as a time": {"north/j.log": '{"MESSAGE":"ike no proposal","__REALTIME_TIMESTAMP":"²"}\n'.encode()},
    "a year before the first": {"north/y.log": f"0001-01-01T00:00:00+14:00 ike: no proposal chosen by peer {B}\n".encode()},
    "words for numbers in model data": {"north/y.json": _yang(preference="high")},
    "a group that is none": {"north/y.json": _connection(**{"dh-group": ["²", "9" * 5000]})},
    "a port beyond all numbers": {"north/nft.json": _nft("1e999")},
    "half a character": {"north/r.jsonl": b'{"kind":"event","at":"2026-05-04T09:14:00Z","what":"note","subject":"\\ud800"}\n'},
    "a key of very many parts": {"sites/x.toml": b".".join([b"a"] * 50_000) + b" = 1\n"},
    "a table of very many parts": {"case.toml": b"[" + b".".join([b"a"] * 50_000) + b"]\n"},
    "gaps that multiply": {
        "phrasebook.toml": b'[[phrase]]\ntext = "{peer}{own}{peer}{own}{peer}{own}zzz"\nsays = "key refused"\nby = "own"\n',
        "north/z.log": b"ike " + 400 * b"a" + b" zzz\n",
    },
}  # fmt: skip


def _case(folder: Path, files: dict[str, bytes]) -> Path:
    for name, content in {**BASE, **files}.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(content)
    return folder


def _stomion(*words: str, output: str = "") -> subprocess.CompletedProcess[bytes]:
    command = [sys.executable, "-m", "stomion", *words]
    if not output:
        return subprocess.run(command, capture_output=True, timeout=60, check=False)
    with Path(output).open("wb") as out:
        return subprocess.run(command, stdout=out, stderr=subprocess.PIPE, timeout=60, check=False)


@pytest.mark.parametrize("files", CASES.values(), ids=CASES.keys())
def test_the_rest_is_still_read(tmp_path: Path, files: dict[str, bytes]) -> None:
    begun = time.monotonic()
    done = _stomion("check", str(_case(tmp_path, files)), "--json")
    assert done.returncode == 1, done.stderr
    found = json.loads(done.stdout)
    assert found["tunnels"][0]["first_fault"] is not None
    assert not [p for p in found["problems"] if "error of this program" in p["text"]]
    assert len(found["problems"]) <= 2
    assert b"Traceback" not in done.stderr
    assert time.monotonic() - begun < 30


@pytest.mark.parametrize(
    "words", [("check", "CASE"), ("check", "CASE", "--json"), ("handover", "CASE", "--for", "north")]
)
def test_nothing_of_a_name_steers_a_terminal(tmp_path: Path, words: tuple[str, ...]) -> None:
    sheets = {
        f"sites/{s}.toml": BASE[f"sites/{s}.toml"].replace(b'"t"', f'"{SPELL}"'.encode()) for s in ("north", "south")
    }
    case = _case(
        tmp_path, {"case.toml": f'[[tunnel]]\nname = "{SPELL}"\nends = ["north", "south"]\n'.encode(), **sheets}
    )
    done = _stomion(*(w.replace("CASE", str(case)) for w in words))
    text = (done.stdout + done.stderr).decode()
    assert "TITLE" not in text or "\x1b" not in text
    assert not [
        c for c in text if (ord(c) < 32 and c not in "\n\t") or 0x7F <= ord(c) <= 0x9F or c in "\u202e\u2060\u061c"
    ]


def test_a_name_that_is_not_utf_8(tmp_path: Path) -> None:
    case = _case(tmp_path, {})
    odd = case / os.fsdecode(b"n\xff")
    odd.mkdir()
    (odd / "x.log").write_bytes(BASE["north/x.log"])
    done = _stomion("check", str(case), "--json")
    assert done.returncode == 1
    assert json.loads(done.stdout)["tunnels"]


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="/dev/full is needed")
@pytest.mark.parametrize("more", [(), ("--json",)])
def test_a_full_disk_is_no_fault_of_a_tunnel(tmp_path: Path, more: tuple[str, ...]) -> None:
    done = _stomion("check", str(_case(tmp_path, {})), *more, output="/dev/full")
    assert done.returncode == 3
    assert done.stderr == b"stomion: No space left on device\n"


@pytest.mark.parametrize("more", [(), ("--json",)])
def test_an_output_that_is_closed_is_no_fault_of_a_tunnel(tmp_path: Path, more: tuple[str, ...]) -> None:
    command = [sys.executable, "-m", "stomion", "check", str(_case(tmp_path, {})), *more]
    read, write = os.pipe()
    os.close(read)
    done = subprocess.run(command, stdout=write, stderr=subprocess.PIPE, timeout=60, check=False)
    os.close(write)
    assert done.returncode == 3
    assert b"Traceback" not in done.stderr


def test_an_error_of_ours_is_one_line_and_status_3(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    from stomion.cli import main

    def fail(*_args: object, **_more: object) -> None:
        raise KeyError("inside")

    monkeypatch.setattr(main, "_run", fail)
    assert main.run_command_line([], lambda _paths: None) == main.EXIT_FAILED
    assert "an error of this program (KeyError in test_inputs.py" in capsys.readouterr().err


def test_a_key_file_that_never_ends_is_not_opened(tmp_path: Path) -> None:
    done = _stomion("check", str(_case(tmp_path, {})), "--keys", "/dev/zero")
    assert (done.returncode, done.stderr) == (2, b"stomion: /dev/zero: it is no ordinary file\n")


def test_a_long_list_of_addresses_in_a_rule_is_ordinary(tmp_path: Path) -> None:
    rows = ",".join(
        f'{{"prefix":{{"addr":"10.{n // 65536}.{n // 256 % 256}.{n % 256}","len":32}}}}' for n in range(0, 40_000, 2)
    )
    text = _nft('{"set":[' + rows + "]}").replace(
        b'"protocol":"tcp","field":"dport"', b'"protocol":"ip","field":"saddr"'
    )
    begun = time.monotonic()
    assert _stomion("check", str(_case(tmp_path, {"north/nft.json": text}))).returncode == 1
    assert time.monotonic() - begun < 30


@pytest.mark.parametrize("ending", ["\\n", "\\r\\n", "\\u2028", "\\t", "\\u000b"])
@pytest.mark.parametrize("more", [(), ("--json",), ("--ask",)])
def test_a_value_breaks_no_line_of_ours(tmp_path: Path, ending: str, more: tuple[str, ...]) -> None:
    record = f'{{"kind": "test", "at": "2026-05-04T09:00:00Z", "from": "a{ending}FORGED", "to": "b{ending}FORGED", "sent": 1}}\n'
    cells = 'kind;at;site;what;detail\nevent;2026-05-04T09:00:00Z;north;rule-changed;"x\tFORGED"\n'
    sheet = BASE["sites/north.toml"].replace(b'name = "t"', f'name = "t{ending}FORGED"'.encode())
    case = _case(
        tmp_path,
        {
            "path/r.jsonl": record.encode(),
            "path/c.csv": cells.encode(),
            "north/x\nFORGED.log": b"ike\n",
            "sites/north.toml": sheet,
        },
    )
    done = subprocess.run(
        [sys.executable, "-m", "stomion", "check", str(case), *more], capture_output=True, text=True, check=False
    )
    assert "FORGED" in done.stdout or more == ("--ask",)
    assert not [line for line in done.stdout.split("\n") if line.lstrip().startswith("FORGED")]
    assert "\t" not in done.stdout
