"""The list for the far end: worked out, laid out, and written in the format that the file's name asks for."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from stomion.errors import UsageError
from stomion.jobs.beside import beside, safe_name
from stomion.jobs.examine import Examined
from stomion.render import html, markdown
from stomion.render.document import Document, Section
from stomion.tunnel.picture import Picture
from stomion.views.handover import Handover, Setting, handover
from stomion.whatif.needed import needs_of
from stomion.writing import write_file, write_inside


def handover_document(examined: Examined, tunnel: str | None, site: str) -> Document:
    """Raises UsageError where the case has no such tunnel, or the tunnel no such end."""
    chosen = [
        d for d in examined.tunnels if tunnel in (None, d.picture.name) and site in {e.site for e in d.picture.ends}
    ]
    if len(chosen) != 1:
        names = ", ".join(
            f"{d.picture.name} ({' and '.join(e.site for e in d.picture.ends)})" for d in examined.tunnels
        )
        what = "more than one tunnel ends there; name one with --tunnel" if chosen else "no such tunnel ends there"
        raise UsageError(f"{site}: {what}; there are: {names or 'none'}")
    picture = chosen[0].picture
    end = next(e for e in picture.ends if e.site == site)
    return document_of(handover(picture, end), lacking(picture, site))


def lacking(picture: Picture, site: str) -> tuple[str, ...]:
    """The changes at a site, in order, after which what is expected would pass by the tables; at the other end too where it needs both."""
    found = needs_of(picture)
    if found is None or not found.changes:
        return ()
    lines = []
    for need in found.changes:
        who = "" if need.site == site else f"{need.site} has to: "
        at = f"at {need.host}: " if need.host else ""
        lines.append(f"{who}{at}{need.words} (for {'; '.join(need.flows[:3])})")
    if found.left:
        lines.append(f"{len(found.left)} more of what is expected would still fail, for causes that no rule mends.")
    return tuple(lines)


def document_of(found: Handover, lacks: tuple[str, ...] = ()) -> Document:
    """The list laid out; it holds no key."""
    mark = (
        (f"Compare the key by its mark, never by itself: {found.key_mark} (stomion keymark).",)
        if found.key_mark
        else ()
    )
    key = "The key is handed over by another way than this list."
    sections = [
        Section("Peers", ("set", "to", "number"), _rows(found.peer), (key, *mark)),
        Section("IKE SA", ("set", "to", "IANA number"), _rows(found.ike)),
        Section("Child SA (ESP)", ("set", "to", "IANA number"), _rows(found.child)),
        Section("Selectors", ("set", "to", "number"), _rows(found.selectors)),
        Section("Translation, routes and filters", notes=found.path),
        Section("Lacking for what is expected, in order", notes=lacks),
        Section("How to test", notes=found.tests),
    ]
    if found.open_points:
        sections.insert(0, Section("Still open", notes=found.open_points))
    lead = f"What {found.title} has to set for its tunnel with {found.other_title} ({found.tunnel}), in neutral terms."
    return Document(
        f"{found.title}: the tunnel with {found.other_title}", (lead,), tuple(s for s in sections if s.rows or s.notes)
    )


def _rows(settings: tuple[Setting, ...]) -> tuple[tuple[str, ...], ...]:
    return tuple((s.name, s.value, s.number) for s in settings)


def rendered(document: Document, suffix: str) -> bytes:
    """The document in the format of a file name's ending. Raises UsageError for one that is not there."""
    found = FORMATS.get(suffix.lower())
    if found is None:
        raise UsageError(f"{suffix or 'a name without an ending'}: no such format; there are {', '.join(FORMATS)}")
    return found(document)


def _pdf(document: Document) -> bytes:
    # The library is large, and needed for this one format.
    from stomion.render import pdf

    return pdf.render(document)


FORMATS: dict[str, Callable[[Document], bytes]] = {".md": markdown.render, ".html": html.render, ".pdf": _pdf}
"""How a document is written, by the ending of the file's name."""


def write_beside(examined: Examined, tunnel: str, site: str) -> Path:
    """The list as a page beside what is derived from the case, for the screen. Raises UsageError where that fails."""
    root = examined.evidence.root
    target = beside(root) / f"{safe_name(f'{tunnel}-for-{site}')}.html"
    write_inside(Path(root), target, rendered(handover_document(examined, tunnel, site), target.suffix))
    return target


def write_document(document: Document, target: Path) -> None:
    """Write it where the user said. Raises UsageError where that fails."""
    write_file(target, rendered(document, target.suffix))
