"""Reading a key file the user names. Its content goes into records and nowhere else; no message quotes it."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import msgspec

from stomion.errors import UnreadableInput, UsageError
from stomion.ingest.files import open_input
from stomion.vocabulary.algorithms import find_proposal
from stomion.vocabulary.clean import MAX_LINE
from stomion.wire.ike.keys import IkeKeys

_DECODER = msgspec.json.Decoder(IkeKeys)


def read_keys(path: Path) -> tuple[IkeKeys, ...]:
    """All keys of a file, one JSON object a line. Raises UsageError with the line of the first one that is none."""
    found: list[IkeKeys] = []
    if path.exists() and not path.is_file():
        raise UsageError(f"{path}: it is no ordinary file")
    try:
        with open_input(path) as stream:
            # Not through the gate for text, which takes keys out of it.
            for number, line in enumerate(iter(partial(stream.readline, MAX_LINE), b""), 1):
                if line.strip():
                    found.append(_record(line, path, number))
    except UnreadableInput as error:
        raise UsageError(f"{path}: {error.what}") from error
    return tuple(found)


def _record(line: bytes, path: Path, number: int) -> IkeKeys:
    try:
        record = _DECODER.decode(line)
        for name in ("spi_i", "spi_r", "sk_ei", "sk_er", "sk_ai", "sk_ar", "key"):
            bytes.fromhex(getattr(record, name))
    except (msgspec.MsgspecError, ValueError, RecursionError):
        # The decoder's own words could quote a value, so they are not passed on.
        raise UsageError(f"{path}:{number}: no ike-keys record (docs/formats.md)") from None
    return _unified(record)


def _unified(record: IkeKeys) -> IkeKeys:
    """With the common names of its algorithms."""
    proposal = find_proposal(f"{record.encryption} {record.integrity}")
    if proposal is None:
        return record
    return msgspec.structs.replace(
        record,
        encryption=next(iter(proposal.encryption), record.encryption),
        integrity=next(iter(proposal.integrity), record.integrity),
    )
