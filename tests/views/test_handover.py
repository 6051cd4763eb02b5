"""What one end must set, with the numbers of the IKE version that the tunnel uses."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined
from stomion.tunnel.settings import Layer
from stomion.views.handover import handover, number_of
from twosheets import LEFT, RIGHT, SHEET, B

Case = Callable[[dict[str, str | bytes]], Examined]


@pytest.mark.parametrize(
    ("kind", "value", "layer", "old", "number"),
    [
        ("encryption", "AES-CBC-256", Layer.IKE, False, "12, key length 256"),
        ("encryption", "AES-CBC-256", Layer.IKE, True, "7, key length 256"),
        ("encryption", "AES-CBC-256", Layer.CHILD, True, "12, key length 256"),
        ("encryption", "3DES", Layer.IKE, True, "5"),
        ("integrity", "HMAC-SHA2-256-128", Layer.IKE, False, "12"),
        ("integrity", "HMAC-SHA2-256-128", Layer.IKE, True, "4"),
        ("integrity", "HMAC-SHA2-256-128", Layer.CHILD, True, "5"),
        ("integrity", "HMAC-SHA1-96", Layer.CHILD, True, "2"),
        ("group", "14", Layer.IKE, True, "14 (2048-bit MODP)"),
        ("encryption", "QUUX", Layer.IKE, True, ""),
    ],
)
def test_the_number_of_a_value(kind: str, value: str, layer: Layer, old: bool, number: str) -> None:
    assert number_of(kind, value, layer, old=old) == number


@pytest.mark.parametrize(
    ("version", "rows"),
    [(1, ["encryption", "integrity", "group", "lifetime"]), (2, ["encryption", "integrity", "group", "lifetime"])],
)
def test_the_values_of_both_sheets(case: Case, version: int, rows: list[str]) -> None:
    sheets = {f"sites/{s['site']}.toml": SHEET.format(**s | {"ike": version}) for s in (LEFT, RIGHT)}
    picture = case(dict(sheets)).tunnels[0].picture
    shown = handover(picture, picture.right).ike
    assert [s.name for s in shown] == rows
    assert shown[0].number == ("7, key length 256" if version == 1 else "12, key length 256")


def test_of_separate_offers_the_strongest_is_handed_over_whole(case: Case) -> None:
    offers = (
        "DES-CBC · HMAC-MD5-96 · group 2, AES-CBC-128 · HMAC-SHA2-256-128 · group 5, 3DES-CBC · HMAC-SHA1-96 · group 2"
    )
    refused = f"no IKE proposal in common with {B}: received {offers}; allowed here AES-CBC-256 · HMAC-SHA2-384-192 · group 14"
    log = f"2026-05-04T09:14:00Z quayhead ike {refused}\n"
    picture = case({"quayhead/ike.log": log}).tunnels[0].picture
    end = picture.left if picture.left.site == "quayhead" else picture.right
    shown = {s.name: s.value for s in handover(picture, end).ike}
    assert (shown["encryption"], shown["integrity"], shown["group"]) == ("AES-CBC-128", "HMAC-SHA2-256-128", "5")
