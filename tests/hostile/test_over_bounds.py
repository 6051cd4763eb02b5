"""What is over a bound is said with its count, and the rest is read."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from stomion.ingest import gate
from stomion.jobs.examine import Examined, examine
from stomion.tunnel import beside, build

TUNNEL = '[[tunnel]]\nname = "t{0}"\npeer_site = "s{0}"\nlocal = "192.0.2.1"\npeer = "198.51.100.{0}"\nlocal_ts = ["10.1.0.0/16"]\n'
TUNNEL += 'remote_ts = ["10.2.0.0/16"]\n'


def _case(folder: Path, files: dict[str, str]) -> Examined:
    for name, text in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_text(text)
    return examine([folder], keep=False)


def _sheet(count: int) -> dict[str, str]:
    return {"sites/north.toml": 'site = "north"\n' + "".join(map(TUNNEL.format, range(1, count + 1)))}


def test_tunnels(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(build, "MOST_TUNNELS", 3)
    found = _case(tmp_path, _sheet(5))
    assert [d.picture.name for d in found.tunnels] == ["t1", "t2", "t3"]
    assert [p.text for p in found.evidence.problems] == ["5 tunnels; the first 3 are looked at"]


def test_other_tunnels_between_the_same_lans(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(beside, "MOST_BESIDE", 2)
    found = _case(tmp_path, _sheet(5))
    assert [[p.name for p in d.picture.beside] for d in found.tunnels] == [
        ["t2", "t3"], ["t1", "t3"], ["t1", "t2"], ["t1", "t2"], ["t1", "t2"],
    ]  # fmt: skip


@pytest.mark.parametrize("bound", ["MOST_OBJECTS", "MOST_VALUES"])
def test_objects_of_a_table(tmp_path: Path, bound: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(gate, bound, 9)
    rows = [{"dst": f"10.{n}.0.0/16", "dev": "eth0"} for n in range(12)]
    found = _case(tmp_path, {**_sheet(1), "north/routes.json": json.dumps(rows)})
    (problem,) = found.evidence.problems
    assert problem.file == "north/routes.json"
    assert "no table of" in problem.text
    assert len(found.tunnels) == 1


def test_texts_of_a_table_are_cleaned_where_they_stand() -> None:
    value = gate.json_value(b'{"a\\u001b[31m": [1, null, "b\\u202e", {"c": "d\\u0007"}], "e": 1.5}', "rows")
    assert value == {"a": [1, None, "b\ufffd", {"c": "d\ufffd"}], "e": 1.5}
