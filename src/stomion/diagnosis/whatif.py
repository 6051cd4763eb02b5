"""What would be: the sheets alone judged, with values changed, and nothing of what was seen before the change."""

from __future__ import annotations

from msgspec.structs import replace

from stomion.diagnosis.runner import Diagnosis, diagnose
from stomion.diagnosis.standing import seen_selectors, told_proposals
from stomion.errors import UsageError
from stomion.exchange.picture import End, Picture
from stomion.logs.algorithms import encryption_of, find_proposal, group_of
from stomion.model.proposal import Proposal
from stomion.model.site import CHOICES, SheetDpd, SheetProposal, SheetTunnel

LISTS = ("local_ts", "remote_ts")
LAYERS = {"ike_proposal": "IKE", "esp_proposal": "ESP"}


def standing_sheet(picture: Picture, end: End) -> SheetTunnel:
    """An end's sheet, completed with what was seen where it has none."""
    if end.sheet is not None:
        return end.sheet
    near, remote, _ = seen_selectors(picture, end)
    ike, child = (
        tuple(_as_sheet(p) for p in told_proposals(picture, end, layer).proposals) for layer in LAYERS.values()
    )
    other = picture.other(end)
    return SheetTunnel(
        picture.name, other.site, end.address, other.address, picture.version,
        local_ts=near, remote_ts=remote, ike_proposal=ike, esp_proposal=child,
    )  # fmt: skip


def _as_sheet(p: Proposal) -> SheetProposal:
    return SheetProposal(
        p.encryption, p.integrity, p.prf, tuple(int(g) if g.isdigit() else g for g in p.group), p.lifetime_s
    )


def declared_only(picture: Picture, sheets: tuple[SheetTunnel, SheetTunnel]) -> Picture:
    """The same tunnel with nothing but two sheets: what the two ends are set to, before any packet."""
    ends = []
    for end, sheet in zip(picture.ends, sheets, strict=True):
        fresh = End(end.site, set(end.addresses), set(end.networks), sheet, end.sheet_file, end.sheet_line)
        fresh.ike_proposals = tuple(model_proposal(p, "IKE") for p in sheet.ike_proposal)
        fresh.child_proposals = tuple(model_proposal(p, "ESP") for p in sheet.esp_proposal)
        ends.append(fresh)
    return Picture(picture.name, ends[0], ends[1])


def judged(picture: Picture, sheets: tuple[SheetTunnel, SheetTunnel]) -> Diagnosis:
    """What the sheets alone lead to."""
    return diagnose(declared_only(picture, sheets))


def model_proposal(declared: SheetProposal, protocol: str) -> Proposal:
    """Any spelling of the trade to the common names; a value not understood is kept as written."""
    found: dict[str, tuple[str, ...]] = {}
    for kind in ("integrity", "prf"):
        names: list[str] = []
        for value in getattr(declared, kind):
            said = find_proposal(f"prf {value}" if kind == "prf" else value, protocol)
            names.extend((said.values(kind) if said else ()) or (value,))
        found[kind] = tuple(dict.fromkeys(names))
    encryption = tuple(dict.fromkeys(x for v in declared.encryption for x in encryption_of(v) or (v,)))
    groups = tuple(
        x for g in declared.group for x in ((str(g),) if str(g).isdigit() else group_of(str(g)) or (str(g),))
    )
    return Proposal(protocol, encryption, found["integrity"], found["prf"], groups, lifetime_s=declared.lifetime_s)


def edited(sheet: SheetTunnel, key: str, text: str) -> SheetTunnel:
    """The sheet with one value changed; `key` as `Value.key` names it. Raises UsageError with what would be right."""
    text = text.strip()
    table, _, kind = key.partition(".")
    if kind:
        return _with_algorithms(sheet, table, kind, text)
    if key in LISTS:
        return replace(sheet, **{key: tuple(x.strip() for x in text.split(",") if x.strip())})
    if key == "dpd":
        return replace(sheet, dpd=_dpd(text))
    value: object = text
    if key == "ike":
        value = int(text) if text.isdigit() else text
    choices = CHOICES.get(f"tunnel.{key}")
    if choices and value not in (*choices, ""):
        raise UsageError(f"{text!r} is none of {', '.join(str(c) for c in choices)}")
    return replace(sheet, **{key: value or ("" if key != "ike" else None)})


def _dpd(text: str) -> SheetDpd | None:
    numbers = [float(word) for word in text.replace(",", " ").split() if word.replace(".", "", 1).isdigit()]
    if text and not numbers:
        raise UsageError(f"{text!r} is no interval; seconds, and tries after them, expected: 10 3")
    return SheetDpd(numbers[0], int(numbers[1]) if len(numbers) > 1 else None) if numbers else None


def _with_algorithms(sheet: SheetTunnel, table: str, kind: str, text: str) -> SheetTunnel:
    """Every proposal of the layer gets the new values: one edited value stands for the whole row of the page."""
    proposals = getattr(sheet, table) or (SheetProposal(),)
    if kind == "lifetime_s":
        digits = text.replace(",", "").removesuffix("s").strip()
        if digits and not digits.isdigit():
            raise UsageError(f"{text!r} is no number of seconds")
        values: object = int(digits) if digits else None
    else:
        values = _algorithms(kind, text)
    return replace(sheet, **{table: tuple(replace(p, **{kind: values}) for p in proposals)})


def _algorithms(kind: str, text: str) -> tuple[str | int, ...]:
    words = [w.strip() for w in text.split(",") if w.strip() and w.strip() != "none"]
    out: list[str | int] = []
    for word in words:
        if kind == "group":
            number = word if word.isdigit() else next(iter(group_of(word)), "")
            if not number:
                raise UsageError(f"{word!r} is no known group; its number, as 14, or modp2048 expected")
            out.append(int(number))
            continue
        said = find_proposal(f"prf {word}" if kind == "prf" else word, "IKE")
        if said is None or not said.values(kind):
            raise UsageError(f"{word!r} is no known algorithm for {kind}")
        out.extend(said.values(kind))
    return tuple(out)
