"""Traffic and sizes on paper."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from click.testing import CliRunner

from stomion.cli.main import root
from stomion.errors import UsageError
from stomion.jobs.drawing import draw
from stomion.jobs.examine import Examined
from twosheets import LEFT, RIGHT, SHEET

Case = Callable[[dict[str, str | bytes]], Examined]


def test_traffic_with_its_marks_and_strips(demo: Examined, tmp_path: Path) -> None:
    for name in ("t.svg", "t.pdf"):
        draw(demo, "traffic", "quayhead-whelk", tmp_path / name)
    text = (tmp_path / "t.svg").read_text("utf-8")
    assert "wanted and fails" in text
    assert "120 probes, 54 lost" in text
    assert (tmp_path / "t.pdf").read_bytes().startswith(b"%PDF")


def test_a_tunnel_that_nobody_tried_has_nothing_to_draw(case: Case, tmp_path: Path) -> None:
    files: dict[str, str | bytes] = {
        "sites/quayhead.toml": SHEET.format(**LEFT),
        "sites/marram.toml": SHEET.format(**RIGHT),
    }
    with pytest.raises(UsageError, match="nothing was tried"):
        draw(case(files), "traffic", None, tmp_path / "t.svg")


def test_steps_of_the_padding(tmp_path: Path) -> None:
    target = tmp_path / "sizes.svg"
    done = CliRunner().invoke(root, ["mtu", "-e", "aes256", "-a", "sha256", "-o", str(target)])
    assert done.exit_code == 0
    text = target.read_text("utf-8")
    assert "1,423 – 1,438" in text
    assert "TCP segment 1,398" in text


def test_a_name_that_nothing_resolves_is_no_fault_of_the_tunnel(case: Case) -> None:
    test = (
        '{"kind":"test","at":"2026-05-04T09:14:00Z","from":"quayhead/host-a","to":"archive.marram.example","service":"tcp/80",'
        '"sent":1,"received":0,"error":"name"}\n'
    )
    files: dict[str, str | bytes] = {
        "sites/quayhead.toml": SHEET.format(**LEFT),
        "sites/marram.toml": SHEET.format(**RIGHT),
        "path/tests.jsonl": test,
    }
    (tunnel,) = case(files).tunnels
    assert tunnel.first_fault is None
    (finding,) = tunnel.findings
    assert finding.code == "wrong-target"
    assert "does not resolve the name archive.marram.example" in finding.summary
