"""A case folder, or a few files, to Evidence: one loop over the kinds of files, with one guard. Every trouble becomes one clear line;
everything else is still read."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Generator, Iterator, Sequence
from concurrent.futures import BrokenExecutor
from contextlib import contextmanager, nullcontext
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from secrets import token_bytes

from stomion.case.evidence import Evidence
from stomion.errors import Cancelled, UnreadableInput, UsageError
from stomion.ingest.files import HEAD, open_input, reason
from stomion.ingest.item import MAX_TABLE, Item
from stomion.ingest.kept import LEAST_BYTES as LEAST_KEPT
from stomion.ingest.kept import Found, Keeper, add, lengths, taken
from stomion.ingest.kinds import kind_of
from stomion.ingest.order import order_of
from stomion.ingest.owners import join_models, same_addresses
from stomion.ingest.pieces import LARGE
from stomion.ingest.reading import Maker, Reading, Tick, Years
from stomion.ingest.sitesheet import Ahead, is_sheet
from stomion.ingest.stoppable import looking_at_calls, stoppable
from stomion.ingest.store import store_for
from stomion.ingest.workers import OF_ITS_OWN, Answer, read_many, worth_it
from stomion.logs.phrasebook import read_phrasebook
from stomion.model.provenance import NotRecognised, Problem
from stomion.vocabulary.clean import one_line
from stomion.vocabulary.secrets import tell_apart, without_secrets

MAX_FILES = 20_000
SOON_READ = 1 << 20
"""Bytes of a sheet that is read in a second or two."""
NOT_SITES = frozenset(("sites", "path", ".stomion"))

PHRASEBOOK = "phrasebook.toml"


def read_case(
    paths: list[Path],
    tick: Tick = lambda _name, _count: None,
    *,
    keep: bool = False,
    planned: Callable[[Sequence[str]], None] = lambda _names: None,
) -> Evidence:
    """Read everything there is. With `keep`, what the files of a large case folder gave is kept for the next time. `planned` is told the
    names of all files in the order in which they are read.

    Raises UsageError where a path does not exist, Cancelled where `tick` does."""
    for path in paths:
        if not _exists(path):
            raise UsageError(f"{path}: it does not exist")
    tell_apart(token_bytes(16))
    root = _root(paths)
    evidence = Evidence(root=str(root), title=one_line(root.name))
    for book in phrasebooks(root):
        with stoppable(partial(tick, _relative(book, root), 0)):
            _read_phrasebook(book, root, evidence)
    items = list(_walk(paths, root, evidence))
    planned([item.name for item in items])
    late = next((n for n, item in enumerate(items) if _is_late(item.path)), len(items))
    with _keeper(items, root if keep and paths[0].is_dir() and len(paths) == 1 else None, tick) as keeper:
        case = _Case(evidence, tick, Years(), frozenset(i.site for i in items if i.site), keeper)
        case.read(items[:late], [item for item in items[:late] if item.path.suffix == ".jsonl"])
        case.read(items[late:], items[late:])
    join_models(evidence)
    same_addresses(evidence)
    return evidence


def read_first_sheets(paths: list[Path], most: int, tick: Tick) -> Evidence | None:
    """The case file and the first `most` site sheets alone, of a case that takes long to read; None for a small one, and for one without
    sheets that are soon read. Raises what `tick` raises."""
    root = _root(paths)
    evidence = Evidence(root=str(root), title=one_line(root.name))
    items = list(_walk(paths, root, evidence))
    sheets = [item for item in items if is_sheet(item) and _size(item.path) <= SOON_READ]
    if not sheets or sum(_size(item.path) for item in items) < LEAST_KEPT:
        return None
    for item in [item for item in items if item.place == "case"] + sheets[:most]:
        tick(item.name, 0)
        read_one(item, evidence, tick, Years())
    return evidence


@contextmanager
def _keeper(items: list[Item], root: Path | None, tick: Tick) -> Iterator[Keeper | None]:
    """What is kept of a case; None for a small one, and where nothing can be kept."""
    worth = [item for item in items if _is_late(item.path) or item.path.suffix in (".jsonl", ".toml")]
    large = root is not None and sum(_size(item.path) for item in worth) >= LEAST_KEPT
    store = store_for(root) if root is not None and large else None
    if store is None:
        yield None
        return
    whole = False
    try:
        yield Keeper(store, tick)
        whole = True
    finally:
        store.close(whole=whole)


def _exists(path: Path) -> bool:
    try:
        return path.exists()
    except OSError as error:
        raise UsageError(f"{path}: {reason(error)}") from error


@dataclass(slots=True)
class _Case:
    """A case being read. `sites` are those that its folders name."""

    evidence: Evidence
    tick: Tick
    years: Years
    sites: frozenset[str]
    keeper: Keeper | None

    def read(self, items: list[Item], alone: list[Item]) -> None:
        """Every file in its order; those of `alone`, which rest on no other, out of the store, else in worker processes where they are
        several and large."""
        names = self.keeper.names(alone, self.sites, self.evidence, self.years) if self.keeper is not None else {}
        kept = {name: found for name, key in names.items() if (found := self._kept(name, key)) is not None}
        left = [item for item in alone if item.name not in kept]
        sizes = [_size(item.path) for item in left]
        ahead: Maker | None = self.keeper
        answers = None
        if worth_it(left, sizes):
            ahead = Ahead(items, self.keeper)
            answers = read_many(left, sizes, self.evidence, self.years, self.tick, ahead.step_by_step())
        own = {item.name for item in left}
        try:
            for item in items:
                found = kept.pop(item.name, None)
                if found is None and item.name in own:
                    answer = _next(answers) if answers is not None else None
                    found = answer.found if answer is not None else None
                    if found is None and answer is None and self.keeper is not None:
                        found = self._read_here(item)
                    if found is not None and self.keeper is not None:
                        self.keeper.keep(names.get(item.name), found)
                if found is not None:
                    add(found, self.evidence, self.years)
                else:
                    self.tick(item.name, 0)
                    read_one(item, self.evidence, self.tick, self.years, maker=ahead)
        finally:
            if answers is not None:
                answers.close()

    def _kept(self, name: str, key: bytes) -> Found | None:
        assert self.keeper is not None
        self.tick(name, 0)
        return self.keeper.file(key)

    def _read_here(self, item: Item) -> Found | None:
        """What a file adds, taken out again; None, and nothing added, for one that rests on others."""
        self.tick(item.name, 0)
        before, year = lengths(self.evidence), self.years.seen
        if not read_one(item, self.evidence, self.tick, self.years, OF_ITS_OWN):
            return None
        found = taken(self.evidence, before, self.years.seen)
        self.years.seen = year
        return found


def _next(answers: Generator[Answer] | None) -> Answer | None:
    """None where a worker can't be started, or died: the rest is read by the caller."""
    try:
        return next(answers, None) if answers is not None else None
    except (BrokenExecutor, OSError, ValueError):
        return None


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:
        return 0


def read_one(
    item: Item,
    evidence: Evidence,
    tick: Tick,
    years: Years,
    only: Collection[str] | None = None,
    maker: Maker | None = None,
) -> bool:
    """One file, whatever becomes of it. An error nobody foresaw is a line too: it is this program's, and costs this file alone. False,
    and nothing done, for a kind that is not among `only`."""
    try:
        if not item.path.is_file():
            evidence.not_recognised.append(NotRecognised(item.name, "it is no ordinary file"))
            return True
        with open_input(item.path) as stream:
            head = stream.read(HEAD)
        size = item.path.stat().st_size
        kind = kind_of(item, head)
        if only is not None and kind.name not in only:
            return False
        reading = Reading(item, head, size, evidence, tick, years, maker)
        with stoppable(lambda: reading.about(0)):
            kind.read(reading)
    except Cancelled:
        raise
    except UnreadableInput as error:
        text = error.what + (f", {error.expected} expected" if error.expected else "")
        evidence.problems.append(
            Problem(item.name, without_secrets(one_line(text)), error.place if item.place == "sites" else None)
        )
    except OSError as error:
        evidence.problems.append(Problem(item.name, reason(error)))
    except Exception as error:
        text = f"could not be read: an error of this program ({type(error).__name__}: {error}); please report it with this file's kind"
        evidence.problems.append(Problem(item.name, without_secrets(one_line(text))))
    return True


def _root(paths: list[Path]) -> Path:
    if len(paths) == 1 and paths[0].is_dir():
        return paths[0].resolve()
    parents = {p.resolve() if p.is_dir() else p.resolve().parent for p in paths}
    first = min(parents, key=lambda p: len(p.parts))
    while not all(first in (p, *p.parents) for p in parents):
        first = first.parent
    return first


def _walk(paths: list[Path], root: Path, evidence: Evidence) -> Iterator[Item]:
    """All files, captures and records before logs so that the year is known when it is needed."""
    found: list[Path] = []
    for path in paths:
        found.extend(_files_of(path.resolve(), evidence, root))
    names = {p: _relative(p, root) for p in found}
    has_sites = any(len(Path(n).parts) > 1 and Path(n).parts[0] not in NOT_SITES for n in names.values())
    single = [p for p in paths if p.is_file()]
    taken = set(names.values())
    for path in sorted(found, key=lambda p: (_is_late(p), p.suffix == ".log", order_of(names[p]))):
        parts = Path(names[path]).parts
        if len(parts) > 1:
            place = parts[0]
            site = None if place in NOT_SITES else place
            host = parts[2] if len(parts) > 3 and parts[1] == "hosts" else None
        else:
            place, host = "", None
            site = None if has_sites and not single else root.name
        if path.name == PHRASEBOOK and len(parts) == 1:
            continue
        if path.name == "case.toml" and len(parts) == 1:
            place = "case"
        shown = _shown(names[path], taken, evidence.written)
        yield Item(path, shown, one_line(site) if site else site, one_line(host) if host else host, place)


def _shown(name: str, taken: set[str], written: dict[str, str]) -> str:
    """A file's name as it can be shown, and as no other file is called; where it is not the file system's, `written` has that."""
    shown = one_line(name)
    if shown == name:
        return name
    number = 2
    while shown in taken:
        shown = f"{one_line(name)} ({number})"
        number += 1
    taken.add(shown)
    written[shown] = name
    return shown


def _is_late(path: Path) -> bool:
    """Is it a text by its name, to be read when the year and the sites are known?"""
    return path.suffix in (".log", ".txt", "")


def _files_of(path: Path, evidence: Evidence, root: Path) -> list[Path]:
    """All files of a folder, each of its own folders with its fair share where there are too many."""
    if path.is_file():
        return [path]
    shares: dict[str, list[Path]] = {}
    inside = path.resolve()
    over = False

    def trouble(error: OSError) -> None:
        name = _relative(Path(str(error.filename)), root)
        evidence.problems.append(Problem(name, reason(error)))

    for folder, folders, files in path.walk(on_error=trouble) if hasattr(path, "walk") else _os_walk(path, trouble):
        _pass_over_links(Path(folder), folders, evidence, root)
        folders[:] = sorted(f for f in folders if not f.startswith("."))
        top = Path(folder).relative_to(path).parts[:1]
        share = shares.setdefault(top[0] if top else "", [])
        for name in sorted(files):
            found = Path(folder) / name
            if name.startswith("."):
                continue
            if found.is_symlink() and not _is_inside(found, inside):
                evidence.not_recognised.append(
                    NotRecognised(_relative(found, root), "a link that leads out of the case")
                )
            elif len(share) < MAX_FILES:
                share.append(found)
            else:
                over = True
    kept = _fair(list(shares.values()), MAX_FILES)
    if over or len(kept) < sum(map(len, shares.values())):
        text = f"more than {MAX_FILES:,} files; of each folder its fair share is read"
        evidence.problems.append(Problem(str(path), text))
    return kept


def _pass_over_links(folder: Path, folders: list[str], evidence: Evidence, root: Path) -> None:
    """Say which folders are links: these are not followed."""
    for name in folders:
        if (folder / name).is_symlink():
            place = _relative(folder / name, root)
            evidence.not_recognised.append(NotRecognised(place, "a folder that is a link; it is not followed"))


def _is_inside(link: Path, folder: Path) -> bool:
    try:
        return link.resolve().is_relative_to(folder)
    except (OSError, RuntimeError):
        return False


def _fair(shares: list[list[Path]], most: int) -> list[Path]:
    """So many files in all that no folder's many push out another one's few."""
    left = most
    kept: list[Path] = []
    for number, share in enumerate(sorted(shares, key=len)):
        part = share[: left // (len(shares) - number)]
        kept += part
        left -= len(part)
    return kept


def _os_walk(path: Path, on_error: Callable[[OSError], None]) -> Iterator[tuple[Path, list[str], list[str]]]:
    for folder, folders, files in os.walk(path, onerror=on_error):
        yield Path(folder), folders, files


def _relative(path: Path, root: Path) -> str:
    try:
        return str(path.relative_to(root))
    except ValueError:
        return path.name


def phrasebooks(root: Path) -> list[Path]:
    """Where taught wordings are looked for: in the case, in what was derived from it, and in the user's configuration."""
    config = Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config") / "stomion"
    return [p for p in (root / PHRASEBOOK, root / ".stomion" / PHRASEBOOK, config / PHRASEBOOK) if _is_there(p)]


def _is_there(path: Path) -> bool:
    """Is it a file that can be looked at? One in a folder that is closed to us is as good as none."""
    try:
        return path.is_file()
    except OSError:
        return False


def _read_phrasebook(path: Path, root: Path, evidence: Evidence) -> None:
    name = _relative(path, root)
    try:
        with open_input(path) as stream:
            data = stream.read(MAX_TABLE + 1)
        text = data[:MAX_TABLE].decode("utf-8", "replace")
        with looking_at_calls() if len(data) >= LARGE else nullcontext():
            found, troubles = read_phrasebook(text)
        if len(data) > MAX_TABLE:
            troubles = [*troubles, f"only its first {MAX_TABLE >> 20} MiB are read"]
    except UnreadableInput as error:
        found, troubles = [], [error.what]
    evidence.phrases.extend(found)
    evidence.problems.extend(Problem(name, text) for text in troubles)
