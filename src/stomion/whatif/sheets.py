"""What would be: the sheets alone judged, with values changed, and nothing of what was seen before the change."""

from __future__ import annotations

from dataclasses import dataclass

from msgspec.structs import replace

from stomion.diagnosis.runner import Diagnosis, diagnose
from stomion.errors import UsageError
from stomion.model.site import CHOICES, SheetDpd, SheetProposal, SheetTunnel
from stomion.tunnel.picture import End, Picture
from stomion.tunnel.settings import standing_sheet
from stomion.vocabulary.algorithms import find_proposal, group_of, model_proposal
from stomion.whatif.attempt import Change, Try

LISTS = ("local_ts", "remote_ts")
LAYERS = {"ike_proposal": "IKE", "esp_proposal": "ESP"}


def declared_only(picture: Picture, sheets: tuple[SheetTunnel, SheetTunnel]) -> Picture:
    """The same tunnel with nothing but two sheets: what the two ends are set to, before any packet."""
    ends = []
    for end, sheet in zip(picture.ends, sheets, strict=True):
        ike = tuple(model_proposal(p, "IKE") for p in sheet.ike_proposal)
        child = tuple(model_proposal(p, "ESP") for p in sheet.esp_proposal)
        ends.append(
            End(
                end.site, end.addresses, end.networks, end.assumed, sheet, end.sheet_file, end.sheet_line,
                ike_proposals=ike, child_proposals=child,
            )
        )  # fmt: skip
    return Picture(picture.name, ends[0], ends[1])


def begun(picture: Picture) -> Picture:
    """What a what-if of sheets starts from: what both ends are set to, as sheets, and nothing else."""
    return declared_only(picture, sheets_of(picture))


def sheets_of(picture: Picture) -> tuple[SheetTunnel, SheetTunnel]:
    """Both ends' sheets; where an end has none, what it is seen to be set to."""
    left, right = (standing_sheet(picture, end) for end in picture.ends)
    return left, right


def tried(attempt: Try, side: int, key: str, text: str, name: str) -> Try:
    """A try with one value more changed at an end; the same try where that changes nothing. Raises UsageError as `edited` does."""
    sheets = list(sheets_of(attempt.picture))
    fresh = edited(sheets[side], key, text)
    if fresh == sheets[side]:
        return attempt
    sheets[side] = fresh
    change = Change(attempt.picture.ends[side].title, f"set {name} to {text.strip() or 'nothing'}")
    return attempt.with_change(declared_only(attempt.picture, (sheets[0], sheets[1])), change)


@dataclass(frozen=True, slots=True)
class Outcome:
    """What the sheets alone lead to, before and after."""

    before: Diagnosis
    after: Diagnosis


def outcome(before: Picture, after: Picture) -> Outcome:
    """Judge two pictures of sheets alone."""
    return Outcome(diagnose(before), diagnose(after))


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
        value = int(text) if text.isdecimal() else text
    choices = CHOICES.get(f"tunnel.{key}")
    if choices and value not in (*choices, ""):
        raise UsageError(f"{text!r} is none of {', '.join(str(c) for c in choices)}")
    return replace(sheet, **{key: value or ("" if key != "ike" else None)})


def _dpd(text: str) -> SheetDpd | None:
    numbers = [float(word) for word in text.replace(",", " ").split() if word.replace(".", "", 1).isdecimal()]
    if text and not numbers:
        raise UsageError(f"{text!r} is no interval; seconds, and tries after them, expected: 10 3")
    return SheetDpd(numbers[0], int(numbers[1]) if len(numbers) > 1 else None) if numbers else None


def _with_algorithms(sheet: SheetTunnel, table: str, kind: str, text: str) -> SheetTunnel:
    """Every proposal of the layer gets the new values: one edited value stands for the whole row of the page."""
    proposals = getattr(sheet, table) or (SheetProposal(),)
    if kind == "lifetime_s":
        digits = text.replace(",", "").removesuffix("s").strip()
        if digits and not digits.isdecimal():
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
            number = word if word.isdecimal() else next(iter(group_of(word)), "")
            if not number:
                raise UsageError(f"{word!r} is no known group; its number, as 14, or modp2048 expected")
            out.append(int(number))
            continue
        said = find_proposal(f"prf {word}" if kind == "prf" else word, "IKE")
        if said is None or not said.values(kind):
            raise UsageError(f"{word!r} is no known algorithm for {kind}")
        out.extend(said.values(kind))
    return tuple(out)
