"""The few words by which a list of tunnels is narrowed, on the screen and on the command line."""

from __future__ import annotations

from collections.abc import Collection

from stomion.diagnosis.runner import Diagnosis
from stomion.views.seam import seam_of

FIELDS = "at:SITE is:STATE in:STAGE has:FINDING is:changed, -word for not"


def fits(d: Diagnosis, words: str, changed: Collection[str] = ()) -> bool:
    """Does a tunnel fit what was typed: all of the words, each anywhere in what is said of it, or in the field it names; a minus turns a
    word round. `changed` names the tunnels that stand otherwise than at the last look."""
    return all(
        _fits(d, word.removeprefix("-"), changed) is not word.startswith("-")
        for word in words.lower().split()
        if word != "-"
    )


def _fits(d: Diagnosis, word: str, changed: Collection[str]) -> bool:
    first = d.first_fault
    field, _, value = word.partition(":")
    if word == "is:changed":
        return d.picture.name in changed
    if field == "is" and value:
        return d.status.value.startswith(value)
    if field == "in" and value:
        return first is not None and first.stage.value.startswith(value)
    if field == "at" and value:
        return any(value in text.lower() for e in d.picture.ends for text in (e.site, e.title))
    if field == "has" and value:
        return any(value in f.code for f in d.findings)
    seam = seam_of(d)
    text = " ".join(
        [d.picture.name, seam.left, seam.right, d.status.value, seam.says]
        + ([first.code, first.stage.value] if first else [])
    )
    return word in text.lower()
