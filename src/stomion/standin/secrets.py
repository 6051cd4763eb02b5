"""Key exchange and key derivation of IKEv2 for the stand-in gateways (RFC 7296 2.13-2.15, RFC 5282)."""

from __future__ import annotations

import hashlib
import hmac
from dataclasses import dataclass

from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

from stomion.standin.chance import Chance

_MODP_2048 = int(
    "FFFFFFFFFFFFFFFFC90FDAA22168C234C4C6628B80DC1CD129024E088A67CC74020BBEA63B139B22514A08798E3404DD"
    "EF9519B3CD3A431B302B0A6DF25F14374FE1356D6D51C245E485B576625E7EC6F44C42E9A637ED6B0BFF5CB6F406B7ED"
    "EE386BFB5A899FA5AE9F24117C4B1FE649286651ECE45B3DC2007CB8A163BF0598DA48361C55D39A69163FA8FD24CF5F"
    "83655D23DCA3AD961C62F356208552BB9ED529077096966D670C354E4ABC9804F1746C08CA18217C32905E462E36CE3B"
    "E39E772C180E86039B2783A2EC07A28FB5C55DF06F4C52C9DE2BCBF6955817183995497CEA956AE515D2261898FA0510"
    "15728E5A8AACAA68FFFFFFFFFFFFFFFF",
    16,
)
_CURVES: dict[int, ec.EllipticCurve] = {19: ec.SECP256R1(), 20: ec.SECP384R1()}
_ORDER_BYTES = {19: 31, 20: 47}
_HASHES = {5: hashlib.sha256, 6: hashlib.sha384, 7: hashlib.sha512}
KEY_PAD = b"Key Pad for IKEv2"


@dataclass(frozen=True, slots=True)
class Exchange:
    """A private value and its public counterpart, for group 14, 19 or 20."""

    group: int
    private: int
    public: bytes

    def shared(self, theirs: bytes) -> bytes:
        """The shared secret with the peer's public value (RFC 3526, RFC 5903 7)."""
        if self.group == 14:
            return pow(int.from_bytes(theirs, "big"), self.private, _MODP_2048).to_bytes(256, "big")
        curve = _CURVES[self.group]
        key = ec.derive_private_key(self.private, curve)
        return key.exchange(ec.ECDH(), ec.EllipticCurvePublicKey.from_encoded_point(curve, b"\x04" + theirs))


def exchange(group: int, chance: Chance) -> Exchange:
    """A fresh private value and its public one."""
    if group == 14:
        private = int.from_bytes(chance.take(32), "big")
        return Exchange(group, private, pow(2, private, _MODP_2048).to_bytes(256, "big"))
    private = int.from_bytes(chance.take(_ORDER_BYTES[group]), "big") + 1
    point = ec.derive_private_key(private, _CURVES[group]).public_key()
    return Exchange(group, private, point.public_bytes(Encoding.X962, PublicFormat.UncompressedPoint)[1:])


def prf(number: int, key: bytes, data: bytes) -> bytes:
    """The negotiated PRF."""
    return hmac.new(key, data, _HASHES[number]).digest()


def prf_plus(number: int, key: bytes, seed: bytes, size: int) -> bytes:
    """RFC 7296 2.13."""
    out, last, count = b"", b"", 1
    while len(out) < size:
        last = prf(number, key, last + seed + bytes([count]))
        out += last
        count += 1
    return out[:size]


@dataclass(frozen=True, slots=True)
class Keys:
    """Keys of one IKE SA with AES-GCM-16-256: each encryption key ends in its 4-byte salt (RFC 5282 7.1)."""

    prf: int
    d: bytes
    ei: bytes
    er: bytes
    pi: bytes
    pr: bytes


def derive(number: int, secret: bytes, nonces: bytes, spis: bytes) -> Keys:
    """RFC 7296 2.14; there are no SK_a keys with an AEAD."""
    size = _HASHES[number]().digest_size
    seed = prf(number, nonces, secret)
    stream = prf_plus(number, seed, nonces + spis, size + 36 + 36 + size + size)
    at = 0
    parts = []
    for length in (size, 36, 36, size, size):
        parts.append(stream[at : at + length])
        at += length
    return Keys(number, *parts)


def seal(key: bytes, iv: bytes, plain: bytes, head: bytes) -> bytes:
    """IV and ciphertext with tag; `head` is everything of the message before the IV (RFC 5282 5.1)."""
    return iv + AESGCM(key[:32]).encrypt(key[32:] + iv, plain + b"\0", head)


def unseal(key: bytes, data: bytes, head: bytes) -> bytes:
    """The plaintext without padding. Raises InvalidTag where the key is not the one it was sealed with."""
    plain = AESGCM(key[:32]).decrypt(key[32:] + data[:8], data[8:], head)
    return plain[: len(plain) - 1 - plain[-1]]


def auth_value(number: int, psk: bytes, message: bytes, nonce: bytes, sk_p: bytes, identity: bytes) -> bytes:
    """The proof of the pre-shared key (RFC 7296 2.15)."""
    octets = message + nonce + prf(number, sk_p, identity)
    return prf(number, prf(number, psk, KEY_PAD), octets)
