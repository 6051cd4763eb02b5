"""The command line as a user runs it: output, JSON, exit codes, bad usage, and what is not loaded."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import msgspec
import pytest

import samples
from stomion import __version__
from stomion.jobs.demo import demo_folder
from stomion.jobs.summary import Summary, schema

DEMO = str(demo_folder())


def stomion(*args: str, stdin: str = "") -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "stomion", *args], capture_output=True, text=True, input=stdin, check=False
    )


def test_version_and_help() -> None:
    assert stomion("--version").stdout == f"stomion {__version__}\n"
    out = stomion("--help").stdout
    assert "Examples:" in out
    for name in ("check", "decode", "demo", "draw"):
        assert name in out
        assert "Examples:" in stomion(name, "--help").stdout


def test_check_as_text() -> None:
    done = stomion("check", DEMO)
    assert done.returncode == 1
    assert "Saltern offers group 14 only; Quayhead takes group 20 or 19." in done.stdout
    assert "must change: marram" in done.stdout
    assert done.stderr == ""


def test_check_as_json_is_what_its_schema_says() -> None:
    done = stomion("check", DEMO, "--json")
    found = msgspec.json.decode(done.stdout, type=Summary)
    assert json.loads(msgspec.json.encode(found)) == json.loads(done.stdout)
    assert "not_recognised" in schema()["$defs"]["Summary"]["properties"]


def test_one_tunnel_and_a_healthy_exit() -> None:
    assert stomion("check", DEMO, "--tunnel", "quayhead-farlight").returncode == 0
    done = stomion("check", DEMO, "--tunnel", "nowhere")
    assert (done.returncode, done.stderr) == (
        2, "stomion: no tunnel is called nowhere; there are: quayhead-farlight, quayhead-saltern, quayhead-marram, "
        "quayhead-driftwood, quayhead-brackish-freight, quayhead-eelgrass, quayhead-gannet, quayhead-whelk, quayhead-samphire, "
        "quayhead-petrel, farlight-petrel\n",
    )  # fmt: skip


def test_nothing_readable_and_bad_usage(tmp_path: Path) -> None:
    assert stomion("check", str(tmp_path)).returncode == 2
    assert stomion("check").returncode == 2
    done = stomion("check", str(tmp_path / "gone"))
    assert (done.returncode, done.stderr.count("\n")) == (2, 1)
    assert stomion("nonsense").returncode == 2


def test_single_files_are_a_case_too() -> None:
    done = stomion("check", f"{DEMO}/quayhead/ike.log")
    assert done.returncode == 1
    assert "group 14 only" in done.stdout


def test_decode_captures_and_dumps() -> None:
    done = stomion("decode", f"{DEMO}/quayhead/wan.pcapng", "--brief")
    assert done.returncode == 0
    assert "IKE 2.0 IKE_SA_INIT response ID 0: Notify" in done.stdout
    done = stomion("decode", "-", stdin=samples.main_mode().hex(" "))
    assert "group" in done.stdout
    assert "0x13 = 19" in done.stdout
    found = json.loads(stomion("decode", "-", "--json", stdin=samples.init_request(14).hex()).stdout)
    assert found[0]["spi_i"] == samples.SPI_I.hex()
    assert stomion("decode", "-", stdin="no hex at all").returncode == 2


def test_the_demo_is_written_once(tmp_path: Path) -> None:
    target = tmp_path / "demo"
    assert stomion("demo", "--write", str(target)).returncode == 0
    assert (target / "quayhead" / "ike.log").read_bytes() == (demo_folder() / "quayhead" / "ike.log").read_bytes()
    assert stomion("demo", "--write", str(target)).returncode == 2
    assert stomion("check", str(target)).returncode == 1


@pytest.mark.parametrize("name", ["seams.svg", "seams.pdf"])
def test_draw_seams(tmp_path: Path, name: str) -> None:
    target = tmp_path / name
    assert stomion("draw", DEMO, "--what", "seam", "-o", str(target)).returncode == 0
    data = target.read_bytes()
    if name.endswith("svg"):
        assert all(
            word in data.decode()
            for word in ("Saltern", "selectors", "Farlight", "Saltern offers group 14 only;", "no evidence")
        )
    else:
        assert data.startswith(b"%PDF")


@pytest.mark.parametrize("name", ["s.svg", "s.pdf"])
def test_draw_selectors(tmp_path: Path, name: str) -> None:
    target = tmp_path / name
    done = stomion("draw", DEMO, "--what", "selectors", "--tunnel", "quayhead-marram", "-o", str(target))
    assert done.returncode == 0
    data = target.read_bytes()
    assert data[:4] == (b"%PDF" if name.endswith("pdf") else b"<?xm")
    if name.endswith("svg"):
        assert b"10.66.0.0/22" in data and b"Marram&#39;s side" in data.replace(b"'", b"&#39;")
    assert stomion("draw", DEMO, "--what", "selectors", "-o", str(target)).returncode == 2


@pytest.mark.parametrize("kind", ["walk", "map"])
@pytest.mark.parametrize("name", ["w.svg", "w.pdf"])
def test_draw_the_way_and_the_map(tmp_path: Path, kind: str, name: str) -> None:
    target = tmp_path / name
    assert stomion("draw", DEMO, "--what", kind, "--tunnel", "quayhead-eelgrass", "-o", str(target)).returncode == 0
    data = target.read_bytes()
    assert data[:4] == (b"%PDF" if name.endswith("pdf") else b"<?xm")
    if name.endswith("svg"):
        assert b"Eelgrass" in data and b"unencrypted, translated" in data
    alone = stomion("draw", f"{DEMO}/quayhead/ike.log", "--what", kind, "-o", str(target))
    assert alone.returncode == 2 and alone.stderr.count("\n") == 1


def test_draw_a_ladder_and_its_refusals(tmp_path: Path) -> None:
    target = tmp_path / "ladder.svg"
    assert stomion("draw", DEMO, "--what", "ladder", "--tunnel", "quayhead-saltern", "-o", str(target)).returncode == 0
    text = target.read_text()
    assert "NO_PROPOSAL_CHOSEN" in text
    assert "attempt 14 of 14" in text
    assert stomion("draw", DEMO, "--what", "ladder", "-o", str(target)).returncode == 2
    assert stomion("draw", DEMO, "--what", "seam", "-o", str(tmp_path / "x.doc")).returncode == 2
    assert stomion("draw", DEMO, "--what", "seam", "-o", str(tmp_path / "no" / "x.svg")).returncode == 2


def test_completion() -> None:
    assert "_STOMION_COMPLETE" in stomion("completion", "bash").stdout


def test_nothing_heavy_is_loaded_for_a_check() -> None:
    code = (
        "import sys; from stomion.entry import main\ntry: main(['--version'])\nexcept SystemExit: pass\n"
        "print([m for m in %r if m in sys.modules])"
    )
    heavy = ["textual", "rich", "matplotlib", "numpy", "cryptography", "msgspec", "dpkt"]
    done = subprocess.run([sys.executable, "-c", code % heavy], capture_output=True, text=True, check=True)
    assert done.stdout.splitlines()[-1] == "[]"
