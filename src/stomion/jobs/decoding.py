"""Decode the IKE messages of a capture, or of a hex dump pasted from a console."""

from __future__ import annotations

import sys
from pathlib import Path

import msgspec

from stomion.errors import UnreadableInput, UsageError
from stomion.exchange.negotiation import MAX_STEPS, Step, assemble
from stomion.ingest.capture import MAGICS, read_capture
from stomion.ingest.files import open_input
from stomion.ingest.keyfile import read_keys
from stomion.model.datagrams import Gathered
from stomion.space.services import UDP
from stomion.vocabulary.secrets import names_secret
from stomion.vocabulary.times import clock_text
from stomion.wire.hexdump import SMALLEST_MESSAGE, Dump, dumps_of
from stomion.wire.ike import Message, decode
from stomion.wire.ike.ledger import ledger
from stomion.wire.packets import read_ip, read_udp

MAX_DUMP = 8 << 20
"""Characters of a pasted dump; a console's scrollback ends far below."""


class FieldRecord(msgspec.Struct, frozen=True):
    """One field: offset in the message, its bytes in hexadecimal, its number, name and meaning."""

    offset: int
    raw: str
    name: str
    value: int | None
    says: str
    depth: int


class MessageRecord(msgspec.Struct, frozen=True):
    """One message; `packet` is 0 for a pasted dump. `again` counts earlier copies of the same bytes."""

    packet: int
    clock: str
    at: float
    src: str
    dst: str
    says: str
    spi_i: str
    spi_r: str
    size: int
    again: int
    fields: tuple[FieldRecord, ...]
    damage: tuple[str, ...]


def decode_file(path: Path, keys: Path | None = None) -> tuple[list[MessageRecord], list[str]]:
    """All messages of one file in the order of its packets, and what could not be read. `-` is standard input."""
    if str(path) == "-":
        return _whole_dump(sys.stdin.read(MAX_DUMP + 1))
    try:
        if not path.exists():
            raise UsageError(f"{path}: it does not exist")
        with open_input(path) as stream:
            head = stream.read(4)
        with open_input(path) as stream:
            if head not in MAGICS:
                return _whole_dump(stream.read(MAX_DUMP + 1).decode("latin-1"))
            capture, trouble = read_capture(stream, str(path), None)
    except UnreadableInput as error:
        return [], [error.what]
    except OSError as error:
        raise UsageError(f"{path}: {error.strerror or 'it cannot be read'}") from error
    messages = Gathered([(capture.datagrams, range(len(capture.datagrams)))])
    found = assemble(messages, read_keys(keys) if keys is not None else ())
    steps = [s for n in found for s in n.steps]
    steps.sort(key=lambda s: s.where.packet or 0)
    dropped = sum(n.dropped for n in found)
    cuts = [f"{dropped:,} messages beyond the first {MAX_STEPS:,} of an IKE SA are left out"] if dropped else []
    return [_record(s) for s in steps], [*([trouble.what] if trouble else []), *capture.cuts, *cuts]


def _whole_dump(text: str) -> tuple[list[MessageRecord], list[str]]:
    """A dump, and a line about what of it is beyond the bound."""
    found, troubles = _from_dump(text[:MAX_DUMP])
    if len(text) > MAX_DUMP:
        troubles = [*troubles, f"longer than {MAX_DUMP >> 20} MiB, which no pasted dump is; the rest is not read"]
    return found, troubles


def messages_json(found: list[MessageRecord]) -> bytes:
    """Indented JSON of all messages."""
    return msgspec.json.format(msgspec.json.encode(found), indent=1)


def message_title(message: Message) -> str:
    """`IKE 2.0 IKE_SA_INIT request, ID 0: SA KE Nonce`."""
    from stomion.wire.ike.message import payload_name

    header = message.header
    if header is None:
        return "no IKE header"
    kind = ("response" if header.is_response else "request") if header.major == 2 else ""
    names = " ".join(payload_name(header.major, p.kind) for p in message.payloads)
    version = f"IKE {header.major}.{header.version & 15}"
    return " ".join(x for x in (version, header.exchange_name, kind, f"ID {header.message_id:x}:", names) if x)


def _record(step: Step) -> MessageRecord:
    return _message_record(step.view, step.raw, step)


def _message_record(message: Message, raw: bytes, step: Step | None) -> MessageRecord:
    header = message.header
    return MessageRecord(
        packet=step.where.packet or 0 if step else 0,
        clock=clock_text(step.at) if step else "",
        at=step.at if step else 0.0,
        src=f"{step.src}:{step.sport}" if step else "",
        dst=f"{step.dst}:{step.dport}" if step else "",
        says=message_title(message),
        spi_i=header.spi_i.hex() if header else "",
        spi_r=header.spi_r.hex() if header else "",
        size=len(raw),
        again=step.again if step else 0,
        fields=tuple(FieldRecord(f.offset, f.raw.hex(" "), f.name, f.value, f.says, f.depth) for f in ledger(message)),
        damage=tuple(f"{d.offset:#06x}: {d.text}" for d in message.damage),
    )


def _from_dump(text: str) -> tuple[list[MessageRecord], list[str]]:
    """Every packet of a paste that holds an IKE message, with what is known of its way."""
    found = [d for d in dumps_of(text.splitlines()) if len(d.data) >= SMALLEST_MESSAGE and not _is_key(d)]
    if not found:
        return [], ["no capture, and no hex dump of an IKE message (28 bytes or more expected)"]
    return [_dumped(bytes(d.data)) for d in found], []


def _is_key(dump: Dump) -> bool:
    """Bytes below a line that names a key, and that are no message: they are nothing to be shown."""
    if not names_secret(dump.heading):
        return False
    raw = bytes(dump.data[_message_start(bytes(dump.data)) :])
    header = decode(raw).header
    return header is None or header.major not in (1, 2) or header.length != len(raw)


def _dumped(data: bytes) -> MessageRecord:
    raw = data[_message_start(data) :]
    record = _message_record(decode(raw), raw, None)
    ip = read_ip(data)
    udp = read_udp(ip.body) if ip is not None and ip.protocol == UDP else None
    if ip is None or udp is None:
        return record
    return msgspec.structs.replace(record, src=f"{ip.src}:{udp.sport}", dst=f"{ip.dst}:{udp.dport}")


def _message_start(data: bytes) -> int:
    """A dump may begin with IP and UDP headers, or the four zero bytes of port 4500."""
    at = 0
    if data[0] >> 4 == 4 and data[9] == 17 and len(data) > 56:
        at = (data[0] & 15) * 4 + 8
    elif data[0] >> 4 == 6 and data[6] == 17 and len(data) > 76:
        at = 48
    if data[at : at + 4] == b"\0\0\0\0" and data[at + 21 : at + 22] in (b"\x10", b"\x20"):
        at += 4
    return at
