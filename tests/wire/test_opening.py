"""Opening encrypted messages with the user's keys: only what proves itself counts, and no key is ever shown."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from pathlib import Path

import pytest
from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes
from msgspec.structs import replace

import samples
from conftest import RECORDED
from stomion.errors import UsageError
from stomion.exchange.negotiation import assemble
from stomion.ingest.capture import read_capture
from stomion.ingest.keyfile import read_keys
from stomion.jobs.decoding import decode_file
from stomion.jobs.examine import Examined, examine
from stomion.standin.chance import Chance
from stomion.standin.configuration import Peer, Session
from stomion.standin.demo import ESP, STRONG
from stomion.standin.dialects import LEDGERED
from stomion.standin.gateway import Gateway
from stomion.standin.network import Network, Tap
from stomion.wire.ike import Header, Message, Payload, decode, encode
from stomion.wire.ike import bodies as b
from stomion.wire.ike.keys import IkeKeys
from stomion.wire.ike.opening import V1Opener, open_v2

KEYS = RECORDED / "v2-keys-cbc-healthy.keys.jsonl"
CAPTURE = RECORDED / "v2-keys-cbc-healthy" / "north" / "wan.pcap"


def _standin(narrow: str) -> tuple[bytes, IkeKeys]:
    """A negotiation of two stand-in gateways, as captured, with its keys; `narrow` is what the responder holds."""
    net, tap = Network(1_777_880_000.0), Tap()
    a = Gateway("quayhead", "192.0.2.10", "quayhead.example", LEDGERED, "x")
    c = Gateway("marram", "198.51.100.34", "marram.example", LEDGERED, "x")
    net.attach(a.address, a.receive, tap)
    net.attach(c.address, c.receive)
    to_c = a.peers[c.address] = Peer("t", c.address, c.identity, b"k", STRONG, ESP, "10.96.0.0/20", "10.66.0.0/21")
    c.peers[a.address] = Peer("t", a.address, a.identity, b"k", STRONG, ESP, narrow, "10.96.0.0/20")
    a.initiate(net, to_c)
    net.run()
    (session,) = a.sessions.values()
    return tap.pcap(), _keys_of(session)


def _keys_of(session: Session) -> IkeKeys:
    keys = session.keys
    assert keys is not None
    return IkeKeys(
        2, session.spi_i.hex(), session.spi_r.hex(), "AES-GCM-16-256", sk_ei=keys.ei.hex(), sk_er=keys.er.hex()
    )


def test_recorded_messages_open_and_name_their_payloads() -> None:
    messages, trouble = decode_file(CAPTURE, KEYS)
    assert trouble == []
    assert any("IDi" in m.says and "TSi TSr" in m.says for m in messages)
    assert any(f.says == "north.lab.example" for m in messages for f in m.fields)
    sealed, _ = decode_file(CAPTURE)
    assert not any("TSi" in m.says for m in sealed)


def test_a_changed_byte_or_key_opens_nothing() -> None:
    (keys,) = read_keys(KEYS)
    with CAPTURE.open("rb") as stream:
        capture, _ = read_capture(stream, "x", None)
    raw = next(d.payload for d in capture.datagrams if decode(d.payload).encrypted)
    assert open_v2(raw, decode(raw), keys) is not None
    for at in (40, len(raw) - 1):
        wrong = raw[:at] + bytes([raw[at] ^ 1]) + raw[at + 1 :]
        assert open_v2(wrong, decode(wrong), keys) is None
    assert open_v2(raw, decode(raw), replace(keys, sk_ai="00" * 32)) is None
    assert open_v2(raw, decode(raw), replace(keys, sk_ei="zz")) is None


@pytest.mark.parametrize(("held", "code"), [("10.66.0.0/21", None), ("10.66.0.0/22", "selectors-unacceptable")])
def test_packets_and_keys_alone_tell_the_selectors(tmp_path: Path, held: str, code: str | None) -> None:
    data, keys = _standin(held)
    (tmp_path / "case" / "quayhead").mkdir(parents=True)
    (tmp_path / "case" / "quayhead" / "wan").write_bytes(data)
    file = tmp_path / "keys"
    fields = {n: getattr(keys, n) for n in keys.__struct_fields__}
    file.write_text(json.dumps({"kind": "ike-keys", **fields}) + "\n")
    (tunnel,) = examine([tmp_path / "case"], keys=file).tunnels
    first = tunnel.first_fault
    assert (first.code if first else None) == code
    if first:
        assert "10.66.0.0/21" in first.summary
    assert keys.sk_ei not in repr(tunnel)


def test_version_1_chains_its_initialisation_vectors() -> None:
    """Phase 1 begins with a hash of both public values, every other exchange with one of phase 1's end and its own ID."""
    key, chance = b"k" * 16, Chance("v1")
    public = [chance.take(64), chance.take(64)]
    keys = IkeKeys(1, samples.SPI_I.hex(), samples.SPI_R.hex(), "AES-CBC-128", hash="SHA2-256", key=key.hex())

    def head(exchange: int, flags: int, ident: int) -> Header:
        return Header(samples.SPI_I, samples.SPI_R, 0, 0x10, exchange, flags, ident, 0)

    def sealed(message: Message, iv: bytes) -> bytes:
        plain = encode(message)[28:]
        plain += b"\0" * (-len(plain) % 16)
        cipher = Cipher(algorithms.AES(key), modes.CBC(iv)).encryptor()
        data = cipher.update(plain) + cipher.finalize()
        header = replace(message.header, flags=1)
        return encode(Message(header, (Payload(message.payloads[0].kind, b.Sealed(data)),)))

    opener = V1Opener(keys)
    for value in public:
        raw = encode(Message(head(2, 0, 0), (Payload(4, b.KeV1(value)), Payload(10, b.Opaque(b"n" * 16)))))
        assert opener.open(raw, decode(raw)) is None
    identity = Message(
        head(2, 0, 0), (Payload(5, b.Identity(2, b"\0\0\0", b"driftwood.example")), Payload(8, b.Opaque(b"h" * 32)))
    )
    first = sealed(identity, hashlib.sha256(public[0] + public[1]).digest()[:16])
    notify = Message(head(5, 0, 77), (Payload(8, b.Opaque(b"h" * 32)), Payload(11, b.Notify(1, 1, b"", 24))))
    second = sealed(notify, hashlib.sha256(first[-16:] + (77).to_bytes(4, "big")).digest()[:16])
    assert opener.open(second, decode(second)) is None
    opened = opener.open(first, decode(first))
    assert opened is not None
    assert [p.body for p in opened.payloads] == [p.body for p in identity.payloads]
    answer = opener.open(second, decode(second))
    assert answer is not None
    assert answer.notifies[0].name == "AUTHENTICATION_FAILED"


def test_key_files_are_checked_and_never_quoted(tmp_path: Path) -> None:
    secret = "ab" * 32
    path = tmp_path / "keys"
    path.write_text(f'{{"kind":"ike-keys","ike":2,"spi_i":"00","spi_r":"00","encryption":"x","sk_ei":"{secret}q"}}\n')
    with pytest.raises(UsageError) as caught:
        read_keys(path)
    assert secret not in str(caught.value)
    assert ":1:" in str(caught.value)
    assert secret not in repr(IkeKeys(2, "1", "2", "AES", sk_ei=secret))


def test_a_key_file_inside_a_case_is_not_shown(case: Callable[[dict[str, str | bytes]], Examined]) -> None:
    evidence = case({"quayhead/keys.jsonl": KEYS.read_bytes()}).evidence
    assert evidence.sources == []
    assert [n.why for n in evidence.not_recognised] == [
        "it holds keys; they are used only where it is given with --keys"
    ]


def test_without_keys_nothing_is_opened() -> None:
    data, _ = _standin("10.66.0.0/21")
    import io

    capture, _ = read_capture(io.BytesIO(data), "x", None)
    assert all(s.opened is None for n in assemble(capture.datagrams) for s in n.steps)
