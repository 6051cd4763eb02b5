"""Names of algorithms that are written as a phrase."""

from __future__ import annotations

import pytest

from stomion.vocabulary.algorithms import encryption_of, find_proposal

CIPHERS = {
    "AES-128 (GCM)": "AES-GCM-16-128", "AES-256 (CBC)": "AES-CBC-256", "AES (256 bits, GCM)": "AES-GCM-16-256", "AES (192)": "AES-CBC-192",
    "AES in GCM mode with 128 bits": "AES-GCM-16-128", "AES in CBC mode with a 256-bit key": "AES-CBC-256", "AES in GCM": "AES-GCM-16",
    "256 bit AES": "AES-CBC-256", "128-bit AES-GCM": "AES-GCM-16-128", "3DES (CBC)": "3DES", "aes-256-cbc": "AES-CBC-256",
}  # fmt: skip
HASHES = {
    "SHA2 (256 bit)": "HMAC-SHA2-256-128", "HMAC with SHA-512": "HMAC-SHA2-512-256", "SHA 2 with 384 bits": "HMAC-SHA2-384-192",
    "SHA1 (160 bit)": "HMAC-SHA1-96",
}  # fmt: skip


@pytest.mark.parametrize(("text", "name"), CIPHERS.items(), ids=CIPHERS.keys())
def test_a_cipher_in_words(text: str, name: str) -> None:
    assert encryption_of(text) == (name,)


@pytest.mark.parametrize(("text", "name"), HASHES.items(), ids=HASHES.keys())
def test_a_hash_in_words(text: str, name: str) -> None:
    found = find_proposal(text, "ESP")
    assert found is not None and found.values("integrity") == (name,)


@pytest.mark.parametrize(
    "text", ["encryption 0x7, key length 0x100, hash 0x4, group 0x18", "cipher=0x0c/256 integ=0x0c dh-group=0x18"]
)
def test_numbers_of_the_registries_in_hexadecimal(text: str) -> None:
    found = find_proposal(text, "IKE")
    assert found is not None
    assert (found.encryption, found.integrity, found.group) == (("AES-CBC-256",), ("HMAC-SHA2-256-128",), ("24",))
