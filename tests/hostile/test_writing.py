"""Writing: the old file stays whole until the new one is, links are refused, and two instances lose nothing of each other."""

from __future__ import annotations

import errno
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from stomion import writing
from stomion.errors import UsageError
from stomion.jobs.beside import write_beside
from stomion.jobs.teaching import phrase, save_phrase
from stomion.logs.phrasebook import read_phrasebook
from stomion.writing import write_file, write_inside

Break = Callable[[pytest.MonkeyPatch, int], None]
STEPS = ("mkstemp", "write", "fsync", "fchmod", "replace")
CODES = (errno.ENOSPC, errno.EIO, errno.EACCES, errno.EROFS)


def _breaking(monkeypatch: pytest.MonkeyPatch, step: str, code: int) -> None:
    def fail(*_args: object, **_more: object) -> None:
        raise OSError(code, os.strerror(code))

    if step == "mkstemp":
        monkeypatch.setattr(writing.tempfile, "mkstemp", fail)
    elif step == "write":
        opened = os.fdopen

        def full(handle: int, mode: str) -> object:
            stream = opened(handle, mode)
            return _Full(stream, fail)

        monkeypatch.setattr(writing.os, "fdopen", full)
    elif step == "replace":
        monkeypatch.setattr(Path, "replace", fail)
    else:
        monkeypatch.setattr(writing.os, step, fail)


class _Full:
    """A stream that takes nothing."""

    def __init__(self, stream: object, fail: Callable[..., None]) -> None:
        self._stream, self.write = stream, fail

    def __enter__(self) -> _Full:
        return self

    def __exit__(self, *_exc: object) -> None:
        self._stream.close()  # type: ignore[attr-defined]


@pytest.mark.parametrize("step", STEPS)
@pytest.mark.parametrize("code", CODES)
def test_whatever_fails_the_old_file_stays_and_nothing_is_left(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, step: str, code: int
) -> None:
    target = tmp_path / "old.md"
    target.write_text("OLD")
    _breaking(monkeypatch, step, code)
    with pytest.raises(UsageError, match=os.strerror(code)):
        write_file(target, b"NEW")
    monkeypatch.undo()
    assert target.read_text() == "OLD"
    assert sorted(p.name for p in tmp_path.iterdir()) == ["old.md"]


def test_a_new_file_has_the_usual_rights_and_an_old_one_keeps_its_own(tmp_path: Path) -> None:
    before = os.umask(0o027)
    try:
        write_file(tmp_path / "new", b"x")
        assert (tmp_path / "new").stat().st_mode & 0o777 == 0o640
        (tmp_path / "new").chmod(0o600)
        write_file(tmp_path / "new", b"y")
        assert (tmp_path / "new").stat().st_mode & 0o777 == 0o600
    finally:
        os.umask(before)


@pytest.mark.parametrize("kind", ["link", "pipe", "folder"])
def test_links_and_special_files_in_a_case_are_refused(tmp_path: Path, kind: str) -> None:
    victim = tmp_path / "victim"
    victim.write_text("MINE")
    case = tmp_path / "case"
    (case / ".stomion").mkdir(parents=True)
    target = case / ".stomion" / "a.md"
    if kind == "link":
        target.symlink_to(victim)
    elif kind == "pipe":
        os.mkfifo(target)
    else:
        target.mkdir()
    with pytest.raises(UsageError, match="nothing was written"):
        write_beside(str(case), "a.md", "text")
    assert victim.read_text() == "MINE"


def test_the_folder_for_derived_things_is_no_link(tmp_path: Path) -> None:
    outside = tmp_path / "outside"
    outside.mkdir()
    case = tmp_path / "case"
    case.mkdir()
    (case / ".stomion").symlink_to(outside)
    with pytest.raises(UsageError, match="it is a link"):
        write_inside(case, case / ".stomion" / "a.md", b"x")
    with pytest.raises(UsageError, match="it is a link"):
        save_phrase(str(case), phrase("Partner {peer} turned away", "key refused"))
    assert not list(outside.iterdir())


SAVE = """
import sys
from stomion.jobs.teaching import phrase, save_phrase
for n in range(15):
    save_phrase(sys.argv[1], phrase(f"wording {sys.argv[2]} number {n} of {{peer}}", "key refused"))
"""


def test_two_instances_keep_each_other_s_phrases(tmp_path: Path) -> None:
    both = [subprocess.Popen([sys.executable, "-c", SAVE, str(tmp_path), name]) for name in ("one", "two")]
    assert [p.wait(60) for p in both] == [0, 0]
    phrases, troubles = read_phrasebook((tmp_path / ".stomion" / "phrasebook.toml").read_text())
    assert (len(phrases), troubles) == (30, [])


def test_a_phrasebook_that_cannot_be_read_is_left_as_it_is(tmp_path: Path) -> None:
    (tmp_path / ".stomion").mkdir()
    book = tmp_path / ".stomion" / "phrasebook.toml"
    for content in (b"\xff\xfe", b"x = 1" + b"0" * 5000, b"[[phrase]\n"):
        book.write_bytes(content)
        with pytest.raises(UsageError, match="nothing was saved"):
            save_phrase(str(tmp_path), phrase("Partner {peer} turned away", "key refused"))
        assert book.read_bytes() == content


@pytest.mark.parametrize("text", ["beep \x01\x7f {peer} turned away", 'quote " and \\ {peer} refused'])
def test_a_taught_text_is_read_back(tmp_path: Path, text: str) -> None:
    path = save_phrase(str(tmp_path), phrase(text, "key refused"))
    (found,) = read_phrasebook(path.read_text())[0]
    assert found.text == text


KILLED = """
import os, sys
from pathlib import Path
from stomion import writing
step, count = sys.argv[2], 0
def killing(name, module):
    real = getattr(module, name)
    def call(*args, **more):
        if sys.argv[3] == "before":
            os.kill(os.getpid(), 9)
        done = real(*args, **more)
        os.kill(os.getpid(), 9)
        return done
    setattr(module, name, call)
killing(step, {"mkstemp": writing.tempfile, "fsync": writing.os, "fchmod": writing.os, "replace": Path}[step])
writing.write_file(Path(sys.argv[1]), b"NEW" * 100_000)
"""


@pytest.mark.parametrize("step", ["mkstemp", "fsync", "fchmod", "replace"])
@pytest.mark.parametrize("when", ["before", "after"])
def test_a_kill_at_any_call_leaves_the_old_file_or_the_new_one(tmp_path: Path, step: str, when: str) -> None:
    target = tmp_path / "f"
    target.write_bytes(b"OLD")
    done = subprocess.run([sys.executable, "-c", KILLED, str(target), step, when], check=False)
    assert done.returncode == -9
    assert target.read_bytes() in (b"OLD", b"NEW" * 100_000)
