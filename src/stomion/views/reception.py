"""What the other end makes of a field: taken, or not and what it would take instead."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.crypto.proposals import shared
from stomion.diagnosis.spec import listed
from stomion.exchange.negotiation import Negotiation, Step
from stomion.model.proposal import Proposal
from stomion.tunnel.picture import Picture
from stomion.tunnel.settings import Layer, accepted
from stomion.wire.ike.field import Field


@dataclass(frozen=True, slots=True)
class Reception:
    """`taken` is None where the field is not a matter of taste or nothing is known."""

    taken: bool | None
    says: str = ""


NOTHING = Reception(None)


def receptions(picture: Picture, negotiation: Negotiation, step: Step, fields: list[Field]) -> list[Reception]:
    """One for every field of a message that offers something; the key length counts with its cipher."""
    receiver = picture.end_at(step.dst)
    sender_is_asker = step.src == negotiation.initiator
    if receiver is None or step.message.sa is None or not sender_is_asker:
        return [NOTHING] * len(fields)
    allowed = accepted(picture, receiver, Layer.IKE).value
    if not allowed:
        return [NOTHING] * len(fields)
    return [_judge(fields, i, allowed, negotiation.version) for i in range(len(fields))]


def _judge(fields: list[Field], index: int, allowed: tuple[Proposal, ...], version: int) -> Reception:
    item = fields[index]
    if not item.kind or item.value is None:
        return NOTHING
    value = _value(fields, index, version)
    kinds = ("integrity", "prf") if item.kind == "integrity" and version == 1 else (item.kind,)
    for kind in kinds:
        wanted = tuple(dict.fromkeys(v for p in allowed for v in p.values(kind)))
        if not wanted:
            continue
        if shared((value,), wanted):
            return Reception(True, "taken")
        return Reception(False, f"takes {listed(wanted)}")
    return NOTHING


def _value(fields: list[Field], index: int, version: int) -> str:
    """The field's value in the common vocabulary; a key length attribute follows its cipher."""
    item = fields[index]
    if item.kind == "group":
        return str(item.value)
    name = item.says
    if item.kind == "integrity" and version == 1 and not name.startswith("HMAC"):
        return {"SHA1": "HMAC-SHA1-96", "MD5": "HMAC-MD5-96"}.get(
            name, f"HMAC-{name}-{int(name[-3:] or 0) // 2}" if name[-3:].isdecimal() else name
        )
    if item.kind == "encryption":
        for later in fields[index + 1 : index + 6]:
            if later.depth < item.depth or later.kind == "encryption":
                break
            if later.name == "key length":
                return f"{name}-{later.value}"
    return name
