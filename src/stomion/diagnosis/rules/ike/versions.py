"""IKE versions, phase 1 modes and authentication methods of both ends, as declared or as their logs show them."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, last_event
from stomion.model.event import What
from stomion.tunnel.picture import End


def versions(context: Context) -> tuple[int, int] | None:
    """(the refuser's version, the asker's) where they are known to differ."""
    if context.cause is None:
        return None
    mine = _version(context.cause.by, configured=True)
    theirs = _asked_version(context) or _version(context.asker, configured=False)
    return (mine, theirs) if mine and theirs and mine != theirs else None


def _version(end: End, configured: bool) -> int | None:
    if end.sheet and end.sheet.ike:
        return end.sheet.ike
    loaded = last_event(end, What.CONFIGURED)
    if loaded and loaded.version:
        return loaded.version
    return None if configured else end.story.version


def _asked_version(context: Context) -> int | None:
    assert context.cause is not None
    asked = last_event(context.cause.by, What.ASKED)
    if asked and asked.version:
        return asked.version
    last = context.cause.negotiation or context.picture.last
    return last.version if last else None


def modes(context: Context) -> tuple[str, str] | None:
    """(the refuser's phase 1 mode, the asker's) where both are IKEv1 and differ."""
    if context.cause is None or context.picture.version == 2:
        return None
    found = []
    for end in (context.cause.by, context.asker):
        declared = end.sheet.mode if end.sheet and end.sheet.ike == 1 else ""
        loaded = last_event(end, What.CONFIGURED)
        found.append(declared or (loaded.mode if loaded and loaded.mode else "") or "")
    last = context.picture.last
    if not found[1] and last is not None:
        found[1] = last.mode
    return (found[0], found[1]) if all(found) and found[0] != found[1] else None


def methods(context: Context) -> tuple[str, str] | None:
    """(the refuser's authentication method, the asker's) where both sheets name one and they differ."""
    if context.cause is None:
        return None
    mine, theirs = (e.sheet.auth if e.sheet else "" for e in (context.cause.by, context.asker))
    return (mine, theirs) if mine and theirs and mine != theirs else None
