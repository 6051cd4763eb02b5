"""Keys and passwords that stand where they should not: in no output and in no derived file."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from test_inputs import BASE, _case

from stomion.ingest.textfile import TextFile
from stomion.jobs.sheets import save_tried
from stomion.model.site import SheetTunnel
from stomion.vocabulary import secrets
from stomion.vocabulary.clean import decode_line
from stomion.vocabulary.secrets import without_secrets

MARK = re.compile(r"\(secret(?: [a-z]{4})?\)")
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
        'pre-shared key does not match for peer NorthGw2-main',
        'pre-shared key authentication with 203.0.113.9[4500] failed, spi c1a5f00d, AES-GCM-16-256/Curve25519',
        'rekey of tunnel QuayToSaltern2 in 28800s',
        'keepalive from 192.0.2.9 port 4500',
        'peer key mismatch: ours SHA2-256 theirs SHA2-512',
        'the shared secret of both ends differs',
        'passing traffic 10.0.0.0/24 to 10.1.0.0/24',
        'token bucket full 200 of 300',
        'pinned to wan0 2026-05-04T09:14:03Z',
        'PSK authentication with Quay2North failed',
        'AUTH failed: PSK mismatch for Quay2North (conn ToSaltern3)',
        "no shared key found for 'quayhead.lanternreef.example' - 'saltern.lanternreef.example'",
        'pre-shared key 192.0.2.1 192.0.2.9: none',
        'preshared secrets do not agree between Quay2A and Salt3B',
        'key: group14 wanted, group20 had',
        'credential rejected by 203.0.113.9:4500 AUTHENTICATION_FAILED(24)',
        'ike_sa established 0x4f0c1d77a03e91e2 key length 256',
        'auth=psk local=192.0.2.1',
        'local auth: psk remote auth: psk',
        'auth psk group 14',
        'secret key length 32',
        'psk id 7 wrong',
        'psk, group 14, aes256',
        'auth method psk 192.0.2.1',
        'authby=secret left=192.0.2.1',
        'keyid:north-gw1',
        'PSK:AES256-SHA256-MODP2048',
        '{"topic": "credentials", "partner": {"address": "192.0.2.1"}}',
    ],
)  # fmt: skip
def test_what_is_said_of_a_key_stays(line: str) -> None:
    assert without_secrets(line) == line


WAYS = (
    '@quay : XAUTH "{0}"',
    "helm : EAP '{0}'",
    "SK_ei={0}",
    "skeyid_d: {0}",
    'pre-shared-key ascii-text "{0}"',
    'pre-shared-key local plain {0}',
    'psk secret {0}',
    'set psk remote {0}',
    '<psk>{0}</psk>',
    '<pre-shared-key type="text">{0}</pre-shared-key>',
    'key-string {0}',
    'authentication psk {0} peer 192.0.2.1',
    '192.0.2.1 : PSK "{0}"',
    'psk-secret="{0}"',
    '"sharedSecret": "{0}"',
    '"SharedKey":"{0}"',
    'shared_key = {0}',
    'ikePsk: {0}',
    'Authorization: Bearer {0}abcdefABCDEF',
    'login helm passwd {0}',
    'password 7 {0}',
    'passphrase: {0}',
    'pin={0}',
    'credential {0}',
    'secret for peer 192.0.2.1 is {0}',
    'key (psk) {0}',
    'psk[{0}]',
    'psk=<{0}>',
    'psk({0})',
    'psk: [{0}]',
    'PSK→{0}',
    'pre shared key for quay set to {0}',
    'shared key changed from {0} to {0}x',
    'user helm pw {0}',
    '"psk":["{0}"]',
    'psk "two words {0}"',
    "psk 'it{0}",
    'secret-data {0}',
    'preSharedKey={0}',
    'pre-shared-secret {0}',
    'authKey: {0}',
    'wpa-psk={0}',
    'xauth-pass={0}',
    'keyring entry 192.0.2.9 key {0}',
    'set vpn ike gateway g psk {0} encrypted',
)  # fmt: skip


@pytest.fixture(params=["plain marks", "marks with labels"])
def _marks(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(secrets, "_key", [b"k" * 16] if request.param != "plain marks" else [])


@pytest.mark.usefixtures("_marks")
@pytest.mark.parametrize("way", WAYS)
def test_a_secret_is_found_however_it_is_named(way: str) -> None:
    shown = without_secrets(way.replace("{0}", SECRET))
    assert SECRET not in shown
    assert MARK.search(shown)
    assert without_secrets(shown) == shown


def test_equal_secrets_are_seen_as_equal_and_others_as_others(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(secrets, "_key", [b"k" * 16])
    alone = [way for way in WAYS if way.count("{0}") == 1 and not re.search(r"\{0\}a|words \{0\}|it\{0\}", way)]
    marks = {MARK.search(without_secrets(way.replace("{0}", SECRET)))[0] for way in alone}  # type: ignore[index]
    assert len(marks) == 1
    other = MARK.search(without_secrets(f'psk = "{SECRET}x"'))
    assert other is not None and other[0] not in marks


def test_a_mark_tells_nothing_without_its_key(monkeypatch: pytest.MonkeyPatch) -> None:
    marks = set()
    for key in (b"a" * 16, b"b" * 16):
        monkeypatch.setattr(secrets, "_key", [key])
        marks.add(without_secrets(f"psk = {SECRET}"))
    assert len(marks) == 2


def test_the_first_key_holds(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(secrets, "_key", [])
    assert secrets.tell_apart(b"a" * 16) == b"a" * 16 == secrets.tell_apart(b"b" * 16)


@pytest.mark.parametrize(
    ("line", "shown"),
    [
        ("MIIEvQIBADANBgkqhkiG9w0BAQEFAASCBKcwggSjAgEAAoIBAQC7", "(secret)"),
        ("psk = correcthorsebatterystaple", "psk = (secret)"),
        ("psk_hex 0x5333637265745469646570", "psk_hex (secret)"),
        (
            "/var/log/gateway/2026/ike/quayhead/negotiations/today",
            "/var/log/gateway/2026/ike/quayhead/negotiations/today",
        ),
        (
            "cookie 4f0c1d77a03e91e24f0c1d77a03e91e24f0c1d77a03e91e2",
            "cookie 4f0c1d77a03e91e24f0c1d77a03e91e24f0c1d77a03e91e2",
        ),
    ],
)
def test_what_can_be_nothing_but_a_key_is_one(line: str, shown: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(secrets, "_key", [])
    assert without_secrets(line) == shown


@given(st.text(st.sampled_from("psk key=:'\"[]()<>aB3 \t."), max_size=60))
def test_what_was_masked_stays_as_it_is(text: str) -> None:
    once = without_secrets("psk " + text)
    assert without_secrets(once) == once


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


@pytest.mark.parametrize("broken", ["p\u200bsk", "ps\x08k", "pre\u00ad-shared-key", "\u202epsk", "p\ufeffsk"])
def test_a_name_that_is_broken_up_by_what_nobody_sees_hides_nothing(broken: str) -> None:
    shown, _ = decode_line(f"{broken}={SECRET} peer=192.0.2.1".encode())
    assert SECRET not in shown and "192.0.2.1" in shown


def test_a_saved_sheet_leaves_it_out(tmp_path: Path) -> None:
    case = _case(tmp_path, {"sites/north.toml": BASE["sites/north.toml"] + f'psk = "{SECRET}"\n'.encode()})
    saved = save_tried(str(case), "sites/north.toml", "north", SheetTunnel("t", peer="192.0.2.9", ike=2))
    assert SECRET not in saved.read_text()
    assert "192.0.2.9" in saved.read_text()
