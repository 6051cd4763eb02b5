"""Keys and passwords that stand where they should not: in no output and in no derived file."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest
from test_inputs import BASE, _case

from stomion.ingest.textfile import TextFile
from stomion.jobs.sheets import save_tried
from stomion.model.site import SheetTunnel
from stomion.vocabulary.clean import without_secrets

SECRET = "S3cretTidepool9"
LINES = (
    f'pre-shared key is "{SECRET}" for peer 192.0.2.1: authentication failed',
    f"psk={SECRET} peer=192.0.2.1 authentication failed",
    f"PSK : '{SECRET}' refused by 192.0.2.1",
    f"loaded shared secret \"{SECRET}\" for 192.0.2.1",
    f"password {SECRET} of peer 192.0.2.1 rejected",
    f'{{"msg":"ike authentication failed","preshared_key":"{SECRET}","peer":"192.0.2.1"}}',
)  # fmt: skip


@pytest.mark.parametrize("line", LINES)
def test_a_line_is_shown_without_its_secret(tmp_path: Path, line: str) -> None:
    (tmp_path / "a.log").write_text(line + "\n")
    shown = TextFile(tmp_path / "a.log").line(1)
    assert SECRET not in shown
    assert "192.0.2.1" in shown


@pytest.mark.parametrize(
    "line",
    [
        "psk: mismatch with 192.0.2.1", "pre-shared key does not match", "authentication by pre-shared key with 192.0.2.1 failed",
        "secret for 192.0.2.1 not found", "key exchange group 14 refused", "password is wrong", "token = invalid",
        "shared key authentication of 'south.lab.example' successful",
    ],
)  # fmt: skip
def test_what_is_said_of_a_key_stays(line: str) -> None:
    assert without_secrets(line) == line


@pytest.mark.parametrize("more", [(), ("--json",), ("--ask",)])
def test_no_output_has_it(tmp_path: Path, more: tuple[str, ...]) -> None:
    log = b"".join(f"2026-05-04T09:14:0{n}Z north ike: {line}\n".encode() for n, line in enumerate(LINES))
    sheet = (
        BASE["sites/north.toml"] + f'psk = "{SECRET}"\npre_shared_key = "{SECRET}"\nauth = "psk {SECRET}"\n'.encode()
    )
    case = _case(tmp_path, {"north/x.log": log, "sites/north.toml": sheet})
    done = subprocess.run(
        [sys.executable, "-m", "stomion", "check", str(case), *more], capture_output=True, check=False
    )
    assert done.returncode in (0, 1)
    assert SECRET.encode() not in done.stdout + done.stderr


def test_a_saved_sheet_leaves_it_out(tmp_path: Path) -> None:
    case = _case(tmp_path, {"sites/north.toml": BASE["sites/north.toml"] + f'psk = "{SECRET}"\n'.encode()})
    saved = save_tried(str(case), "sites/north.toml", "north", SheetTunnel("t", peer="192.0.2.9", ike=2))
    assert SECRET not in saved.read_text()
    assert "192.0.2.9" in saved.read_text()
