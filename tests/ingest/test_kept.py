"""What is kept of a case: it changes nothing of what is read, is never trusted, and holds no secret."""

from __future__ import annotations

import os
import signal
import sqlite3
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from stomion.case.evidence import Evidence
from stomion.errors import Cancelled
from stomion.ingest import folder
from stomion.ingest.folder import read_case
from stomion.ingest.store import MARK, Store, store_for
from stomion.jobs.demo import write_demo, write_fleet
from stomion.jobs.examine import examine
from stomion.jobs.look import keep_look, last_look, look_of
from stomion.jobs.summary import as_json_bytes, summary_of

RECORDED = Path(__file__).parent.parent / "recorded"
SECRET = "S3cretTidepool9"


@pytest.fixture(autouse=True)
def places(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "user"))
    monkeypatch.setattr(folder, "LEAST_KEPT", 0)


@pytest.fixture
def fleet(tmp_path: Path) -> Path:
    write_fleet(tmp_path / "fleet", 6)
    return tmp_path / "fleet"


def _file(case: Path) -> Path:
    return case / ".stomion" / "cache" / "kept.sqlite"


def _read(case: Path, monkeypatch: pytest.MonkeyPatch) -> tuple[Evidence, list[str]]:
    """The evidence, and the files that were read for it."""
    read: list[str] = []
    one = folder.read_one

    def watched(item, *rest, **more):  # type: ignore[no-untyped-def]
        read.append(item.name)
        return one(item, *rest, **more)

    with monkeypatch.context() as patch:
        patch.setattr(folder, "read_one", watched)
        return read_case([case], keep=True), [name for name in read if not name.endswith(".toml")]


def test_a_second_reading_says_the_same_and_opens_nothing(fleet: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    plain = read_case([fleet])
    first, read = _read(fleet, monkeypatch)
    assert len(read) > 10
    again, read = _read(fleet, monkeypatch)
    assert read == []
    assert first == again == plain


@pytest.mark.parametrize("name", sorted(p.name for p in RECORDED.iterdir() if p.is_dir())[::7])
def test_recorded_cases_are_judged_the_same(name: str, tmp_path: Path) -> None:
    case = tmp_path / name
    subprocess.run(["cp", "-r", str(RECORDED / name), str(case)], check=True)
    said = [as_json_bytes(summary_of(examine([case], keep=keep))) for keep in (False, True, True)]
    assert said[0] == said[1] == said[2]
    assert _file(case).exists()


def _append(path: Path) -> None:
    path.write_bytes(path.read_bytes() + b"2026-05-04T10:00:00Z ike: nothing\n")


def _touch(path: Path) -> None:
    path.write_bytes(path.read_bytes())


@pytest.mark.parametrize(("change", "reads"), [(_append, 1), (_touch, 0)])
def test_only_what_changed_is_read_again(
    fleet: Path, monkeypatch: pytest.MonkeyPatch, change: Callable[[Path], None], reads: int
) -> None:
    _read(fleet, monkeypatch)
    change(fleet / "station0003" / "ike.log")
    found, read = _read(fleet, monkeypatch)
    assert read == ["station0003/ike.log"][:reads]
    assert found == read_case([fleet])


def test_a_taught_wording_makes_logs_be_read_again(fleet: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    _read(fleet, monkeypatch)
    book = '[[phrase]]\nline = "nothing of note"\nmeans = "peer lost"\n'
    (fleet / "phrasebook.toml").write_text(book)
    found, read = _read(fleet, monkeypatch)
    assert found == read_case([fleet])
    assert bool(read) is bool(found.phrases)


def test_what_another_user_wrote_is_not_taken(fleet: Path, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    whole, read = _read(fleet, monkeypatch)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "other"))
    found, again = _read(fleet, monkeypatch)
    assert again == read
    assert found == whole


def _flip(case: Path) -> None:
    with sqlite3.connect(_file(case)) as base:
        rows = base.execute("SELECT name, value FROM kept").fetchall()
        for name, value in rows:
            base.execute("UPDATE kept SET value = ? WHERE name = ?", (value[:MARK] + value[MARK:][::-1], name))


def _swap(case: Path) -> None:
    with sqlite3.connect(_file(case)) as base:
        rows = base.execute("SELECT name, value FROM kept").fetchall()
        for (name, _), (_, value) in zip(rows, rows[1:] + rows[:1], strict=True):
            base.execute("UPDATE kept SET value = ? WHERE name = ?", (value, name))


def _text(case: Path) -> None:
    with sqlite3.connect(_file(case)) as base:
        base.execute("UPDATE kept SET value = 'a text'")


def _other_schema(case: Path) -> None:
    with sqlite3.connect(_file(case)) as base:
        base.execute("CREATE TRIGGER t AFTER UPDATE ON kept BEGIN DELETE FROM kept; END")


def _garbage(case: Path) -> None:
    _file(case).write_bytes(b"not a database at all" * 400)


def _cut(case: Path) -> None:
    data = _file(case).read_bytes()
    _file(case).write_bytes(data[: len(data) // 3])


def _empty(case: Path) -> None:
    _file(case).write_bytes(b"")


@pytest.mark.parametrize("damage", [_flip, _swap, _text, _other_schema, _garbage, _cut, _empty])
def test_damage_costs_time_alone(fleet: Path, monkeypatch: pytest.MonkeyPatch, damage: Callable[[Path], None]) -> None:
    whole, read = _read(fleet, monkeypatch)
    damage(fleet)
    found, again = _read(fleet, monkeypatch)
    assert found == whole
    assert again == read
    assert _read(fleet, monkeypatch)[1] == []


def test_links_in_its_place_are_left_alone(fleet: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    mine = tmp_path / "mine.txt"
    mine.write_text("a user's own file")
    _file(fleet).parent.mkdir(parents=True)
    _file(fleet).symlink_to(mine)
    whole, _ = _read(fleet, monkeypatch)
    assert mine.read_text() == "a user's own file"
    # It is kept with the user's own things instead.
    assert _read(fleet, monkeypatch) == (whole, [])
    assert list((tmp_path / "user").rglob("kept.sqlite"))


def test_nothing_is_kept_where_nobody_wants_it(fleet: Path, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    examine([fleet], keep=False)
    examine([fleet / "station0001"], keep=False)
    monkeypatch.setenv("STOMION_NO_CACHE", "1")
    examine([fleet])
    monkeypatch.delenv("STOMION_NO_CACHE")
    monkeypatch.setattr(folder, "LEAST_KEPT", 1 << 40)
    examine([fleet])
    assert not (fleet / ".stomion").exists()
    assert not (tmp_path / "user").exists()


def test_no_secret_is_in_it(fleet: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    log = f'2026-05-04T10:00:00Z ike: pre-shared key is "{SECRET}" for peer 192.0.2.1: authentication failed\n'
    (fleet / "station0001" / "more.log").write_text(log * 3 + f"2026-05-04T10:00:01Z ike: psk={SECRET} refused\n")
    sheet = fleet / "sites" / "station0001.toml"
    sheet.write_text(f'psk = "{SECRET}"\n{sheet.read_text()}\npre_shared_key = "{SECRET}"\n')
    (fleet / "station0001" / "ping.txt").write_text(
        f"psk: {SECRET}\n$ ping -c 1 10.96.0.10\n1 packets transmitted, 0 received\n"
    )
    _read(fleet, monkeypatch)
    for file in _file(fleet).parent.iterdir():
        assert SECRET.encode() not in file.read_bytes()
        # A mark holds for one run: kept, it would be set beside those of another one.
        assert b"(secret " not in file.read_bytes()


_KILLED = """
import os, signal, sys
from pathlib import Path
from stomion.ingest import folder, store
folder.LEAST_KEPT, store._TOGETHER = 0, 0
left = int(sys.argv[2])
write = store.Store._write
def dying(self):
    global left
    left -= 1
    if left < 0:
        os.kill(os.getpid(), signal.SIGKILL)
    write(self)
store.Store._write = dying
folder.read_case([Path(sys.argv[1])], keep=True)
"""


@pytest.mark.parametrize("after", [0, 1, 5])
def test_a_program_that_is_killed_leaves_it_whole(fleet: Path, monkeypatch: pytest.MonkeyPatch, after: int) -> None:
    done = subprocess.run([sys.executable, "-c", _KILLED, str(fleet), str(after)], check=False, env=os.environ.copy())
    assert done.returncode == -signal.SIGKILL
    assert _read(fleet, monkeypatch)[0] == read_case([fleet])
    assert _read(fleet, monkeypatch)[1] == []


def test_two_programs_at_once(tmp_path: Path) -> None:
    first, second = store_for(tmp_path), store_for(tmp_path)
    assert first is not None
    assert second is not None
    first.put(b"a", b"1")
    second.put(b"b", b"2")
    first.close()
    second.close()
    again = store_for(tmp_path)
    assert again is not None
    assert (again.get(b"a"), again.get(b"b"), again.get(b"c")) == (b"1", b"2", None)


def test_what_nobody_asks_for_goes(tmp_path: Path) -> None:
    for run in range(6):
        store = store_for(tmp_path)
        assert store is not None
        if run == 0:
            store.put(b"old", b"1")
            store.put(b"used", b"2")
        else:
            assert store.get(b"used") == b"2"
        store.close()
    with sqlite3.connect(_file(tmp_path)) as base:
        assert base.execute("SELECT name FROM kept").fetchall() == [(b"used",)]


def test_stopping_keeps_what_was_read(fleet: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def tick(name: str, _count: int) -> None:
        if name == "station0004/ike.log":
            raise Cancelled

    with pytest.raises(Cancelled):
        read_case([fleet], tick, keep=True)
    found, _ = _read(fleet, monkeypatch)
    assert found == read_case([fleet])


def test_a_full_disk_ends_its_use(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    store = store_for(tmp_path)
    assert store is not None

    class Full:
        def executemany(self, *_rest: object) -> None:
            raise sqlite3.OperationalError("database or disk is full")

        def close(self) -> None:
            pass

    monkeypatch.setattr(store, "_base", Full())
    store.put(b"a", b"1")
    store.close()
    assert not store.usable
    again = store_for(tmp_path)
    assert isinstance(again, Store)
    assert again.get(b"a") is None


def test_the_last_look_and_what_is_different_since(fleet: Path) -> None:
    found = examine([fleet])
    assert last_look([fleet]) is None
    keep_look([fleet], look_of(found, 1_777_000_000.0))
    before = last_look([fleet])
    assert before is not None
    assert (before.title, before.at, len(before.tunnels)) == ("A fleet of stations", 1_777_000_000.0, 6)
    assert [t.seam for t in before.tunnels] == [t.seam for t in look_of(found).tunnels]
    assert before.changed(look_of(found)) == {}
    sheet = fleet / "sites" / "station0005.toml"
    sheet.write_text(sheet.read_text().replace('remote_ts = ["10.96.0.0/20"]', 'remote_ts = ["10.250.0.0/24"]'))
    (name,) = before.changed(look_of(examine([fleet])))
    assert name == "quayhead-station0005"
    assert before.changed(before) == {}
    fewer = type(before)(before.title, before.at, before.tunnels[1:])
    assert fewer.changed(before) == {before.tunnels[0].name: None}


def test_the_look_of_a_small_case_is_kept_elsewhere(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    monkeypatch.setattr("stomion.ingest.store.OPENINGS", 2)
    for name in ("one", "two"):
        write_fleet(tmp_path / name, 1)
    looks = {name: look_of(examine([tmp_path / name], keep=False), 1_777_000_000.0) for name in ("one", "two")}
    assert last_look([tmp_path / "one"]) is None
    keep_look([tmp_path / "one"], looks["one"])
    assert last_look([tmp_path / "one"]) == looks["one"]
    assert last_look([tmp_path / "two"]) is None
    assert not (tmp_path / "one" / ".stomion").exists()
    assert (tmp_path / "cache" / "stomion" / "small").stat().st_mode & 0o77 == 0
    # One that is not opened any more goes, and one that is opened again and again stays.
    for _ in range(3):
        keep_look([tmp_path / "two"], looks["two"])
        assert last_look([tmp_path / "two"]) == looks["two"]
    assert last_look([tmp_path / "one"]) is None
    monkeypatch.setenv("STOMION_NO_CACHE", "1")
    assert last_look([tmp_path / "two"]) is None


def test_the_demo_is_never_written_to(tmp_path: Path) -> None:
    write_demo(tmp_path / "copy")
    assert look_of(examine([tmp_path / "copy"])).changed(look_of(examine([tmp_path / "copy"]))) == {}
    assert _file(tmp_path / "copy").exists()
    from stomion.jobs.demo import demo_folder

    examine([demo_folder()])
    assert not (demo_folder() / ".stomion").exists()
