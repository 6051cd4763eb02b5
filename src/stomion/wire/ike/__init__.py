"""IKE messages, versions 1 and 2: `decode` never raises, `encode` is its exact inverse on undamaged input."""

from stomion.wire.ike.message import Damage, Header, Message, Payload, decode, encode

__all__ = ["Damage", "Header", "Message", "Payload", "decode", "encode"]
