"""A file that is read as a whole can be called off in the middle; large JSON in pieces is what the decoder makes of it at once."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.errors import Cancelled
from stomion.ingest import pieces, stoppable
from stomion.ingest.folder import read_case

VALUES = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats(allow_nan=False) | st.text(),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=4), inner, max_size=4),
    max_leaves=30,
)


@given(VALUES, st.sampled_from([None, 1]), st.sampled_from(["utf-8", "utf-16", "utf-8-sig"]))
def test_in_pieces_it_is_the_same(value: Any, indent: int | None, code: str) -> None:
    data = json.dumps(value, indent=indent).encode(code)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(pieces, "LARGE", 0)
        assert pieces.loads(data) == value


DAMAGED = (
    "",
    "[",
    "[1,",
    "[1,]",
    "[1 2]",
    '{"a" 1}',
    '{"a":1,}',
    '{"a":1',
    "{1:2}",
    "[1]]",
    '{"a":[1}',
    "nul",
    '{"a":1}x',
    '{"a"}',
    "{,}",
    "[,]",
)


@pytest.mark.parametrize("text", DAMAGED)
def test_what_is_no_json_is_none_in_pieces_either(text: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pieces, "LARGE", 0)
    with pytest.raises(ValueError, match=r"."):
        json.loads(text)
    with pytest.raises(ValueError, match=r"."):
        pieces.loads(text.encode())


ROUTE = '{"dst": "10.0.0.0/8", "gateway": "192.0.2.254", "dev": "wan0"}'
LINK = '{"ifname": "e0", "addr_info": [{"family": "inet", "local": "10.1.0.1", "prefixlen": 24, "scope": "global"}]}'
POLICY = "src 10.0.0.0/24 dst 10.1.0.0/24 \n\tdir out priority 1 \n\ttmpl src 192.0.2.1 dst 192.0.2.9\n"
STATE = "src 192.0.2.1 dst 192.0.2.9\n\tproto esp spi 0xc1a5f00d reqid 1 mode tunnel\n\treplay-window 0 \n"
SAD = '{"ietf-i2nsf-ikeless:ipsec-ikeless": {"sad": {"sad-entry": [%s]}}}'
LARGE = {
    "north/routes.json": "[" + ",".join([ROUTE] * 3_000) + "]",
    "north/links.json": "[" + ",".join([LINK] * 3_000) + "]",
    "north/policies.txt": POLICY * 3_000,
    "north/states.txt": STATE * 3_000,
    "north/model.json": SAD % ",".join(['{"name": "n"}'] * 3_000),
    "sites/north.toml": 'site = "north"\n' + '[[route]]\nto = "10.0.0.0/8"\nvia = "192.0.2.3"\n' * 3_000,
    "case.toml": '[[tunnel]]\nname = "t"\nends = ["a", "b"]\n' * 3_000,
    "phrasebook.toml": '[[phrase]]\ntext = "ike x"\nsays = "key refused"\n' * 3_000,
}  # fmt: skip


@pytest.mark.parametrize("name", LARGE)
def test_it_is_called_off_in_the_middle_of_a_file(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pieces, "LARGE", 10_000)
    monkeypatch.setattr("stomion.ingest.folder.LARGE", 10_000)
    path = tmp_path / name
    path.parent.mkdir(exist_ok=True)
    path.write_text(LARGE[name])
    looks: list[str] = []
    read_case([tmp_path], lambda file, _count: looks.append(file))
    assert looks.count(name) > 5
    left = looks.index(name) + 4

    def stop(_file: str, _count: int) -> None:
        nonlocal left
        left -= 1
        if not left:
            raise Cancelled

    with pytest.raises(Cancelled):
        read_case([tmp_path], stop)
    assert left == 0
    assert sys.getprofile() is None
    # Whoever reads next is not asked what the last one was.
    stoppable.look()


def test_somebody_who_measures_is_left_alone() -> None:
    def measure(*_: object) -> None:
        return

    sys.setprofile(measure)
    try:
        with stoppable.stoppable(lambda: None), stoppable.looking_at_calls():
            assert sys.getprofile() is measure
        assert sys.getprofile() is measure
    finally:
        sys.setprofile(None)
