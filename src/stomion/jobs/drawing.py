"""Drawings of a case, written to a file the user names."""

from __future__ import annotations

from pathlib import Path

from stomion.crypto.espsize import Wrap
from stomion.diagnosis.runner import Diagnosis
from stomion.errors import UsageError
from stomion.jobs.examine import Examined
from stomion.views.counters import counters_of
from stomion.views.failover import failover_of, switch_count
from stomion.views.ladder import ladder_of
from stomion.views.seam import seam_of
from stomion.views.selectors import selectors_of
from stomion.views.sites import sites_of
from stomion.views.traffic import traffic_of
from stomion.views.walk import maps_of, walk_of

KINDS = ("seam", "ladder", "selectors", "walk", "map", "counters", "traffic", "failover", "sites")


def draw(examined: Examined, kind: str, tunnel: str | None, target: Path, attempt: int | None = None) -> None:
    """Write one drawing. Raises UsageError for a format, a tunnel or an attempt that is not there."""
    from stomion.render import drawings as render
    from stomion.render.paper import FORMATS

    if target.suffix not in FORMATS:
        raise UsageError(f"{target}: the name has to end in {' or '.join(FORMATS)}")
    chosen = [d for d in examined.worst_first() if tunnel in (None, d.picture.name)]
    if not chosen:
        names = ", ".join(d.picture.name for d in examined.tunnels) or "none"
        raise UsageError(f"no tunnel is called {tunnel}; there are: {names}" if tunnel else "no tunnel was found")
    try:
        if kind == "seam":
            render.draw_seams([seam_of(d) for d in chosen], examined.evidence.title, target)
        elif kind == "sites":
            _sites(examined, target)
        elif kind == "selectors":
            render.draw_selectors(selectors_of(_only(chosen, kind)), target)
        elif kind in ("walk", "map"):
            _traffic(_only(chosen, kind), kind, target)
        elif kind == "counters":
            _counters(_only(chosen, kind), target)
        elif kind == "failover":
            _failover(_only(chosen, kind), target, attempt)
        elif kind == "traffic":
            _tests(_only(chosen, kind), target)
        else:
            _ladder(chosen, target, attempt)
    except OSError as error:
        raise UsageError(f"{target}: {error.strerror or 'it cannot be written'}") from error


def draw_sizes(wrap: Wrap, path: int, mss: int, target: Path) -> None:
    """How large packets become as ESP, drawn. Raises UsageError for a format that is not there and a file that can't be written."""
    from stomion.render.paper import FORMATS
    from stomion.render.sizes import draw_steps

    if target.suffix not in FORMATS:
        raise UsageError(f"{target}: the name has to end in {' or '.join(FORMATS)}")
    try:
        draw_steps(wrap, path, mss, target)
    except OSError as error:
        raise UsageError(f"{target}: {error.strerror or 'it cannot be written'}") from error


def _only(chosen: list[Diagnosis], kind: str) -> Diagnosis:
    if len(chosen) > 1:
        names = ", ".join(d.picture.name for d in chosen)
        raise UsageError(f"a drawing of kind {kind} is of one tunnel; name it with --tunnel: {names}")
    return chosen[0]


def _traffic(diagnosis: Diagnosis, kind: str, target: Path) -> None:
    """A packet's way, or the map of all packets. Raises UsageError where no tables tell of them."""
    from stomion.render import drawings as render

    walk, maps = walk_of(diagnosis), maps_of(diagnosis)
    if (kind == "walk" and walk is None) or (kind == "map" and not maps):
        raise UsageError(
            f"{diagnosis.picture.name}: no tables or flows to draw; routes, translations and filters are needed"
        )
    if kind == "walk" and walk is not None:
        render.draw_walk(walk, target)
    else:
        picture = diagnosis.picture
        render.draw_maps(
            maps, f"{picture.left.title} – {picture.right.title}: all packets between the two LANs", target
        )


def _sites(examined: Examined, target: Path) -> None:
    """How all sites are joined, whichever tunnel is named."""
    from stomion.render.sites import draw_sites

    evidence = examined.evidence
    draw_sites(sites_of(examined.tunnels, evidence.relations), f"{evidence.title}: how its sites are joined", target)


def _counters(diagnosis: Diagnosis, target: Path) -> None:
    from stomion.render.charts import draw_counters

    drawing, picture = counters_of(diagnosis), diagnosis.picture
    if drawing is None:
        raise UsageError(f"{picture.name}: no counters were read; nothing to draw")
    draw_counters(drawing, f"{picture.left.title} – {picture.right.title}: what left and what arrived", target)


def _failover(diagnosis: Diagnosis, target: Path, number: int | None) -> None:
    """The last switch, or the one with a number. Raises UsageError where there is none."""
    from stomion.render.failover import draw_failover

    count, picture = switch_count(diagnosis), diagnosis.picture
    if number is not None and not 1 <= number <= max(count, 1):
        raise UsageError(f"there is no switch {number}; {picture.name} has {count}")
    drawing = failover_of(diagnosis, (number or count) - 1)
    if drawing is None:
        raise UsageError(f"{picture.name}: no failover was seen; nothing to draw")
    draw_failover(drawing, f"{picture.left.title} – {picture.right.title}: a failover", target)


def _tests(diagnosis: Diagnosis, target: Path) -> None:
    from stomion.render.traffic import draw_traffic

    drawing, picture = traffic_of(diagnosis), diagnosis.picture
    if not drawing.matrices and not drawing.strips:
        raise UsageError(f"{picture.name}: nothing was tried or is expected between the two LANs; nothing to draw")
    draw_traffic(drawing, f"{picture.left.title} – {picture.right.title}: who reaches whom", target)


def _ladder(chosen: list[Diagnosis], target: Path, attempt: int | None) -> None:
    from stomion.render import drawings as render

    diagnosis = _only(chosen, "ladder")
    picture = diagnosis.picture
    total = len(picture.negotiations)
    if attempt is not None and not 1 <= attempt <= max(total, 1):
        raise UsageError(f"there is no attempt {attempt}; {picture.name} has {total}")
    refused = [i for i, n in enumerate(picture.negotiations) if n.refusal_step >= 0]
    index = attempt - 1 if attempt is not None else refused[-1] if refused else 0
    first = diagnosis.first_fault
    titles = {e.site: e.title for e in picture.ends}
    remedies = [f"{titles.get(r.side, r.side)}: {r.text}" for r in first.remedies] if first else []
    sentence = first.summary if first else seam_of(diagnosis).says
    render.draw_ladder(
        ladder_of(picture, index), sentence, remedies, f"{picture.left.title} – {picture.right.title}", target
    )
