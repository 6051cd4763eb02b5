"""Tests that are run: planned from the case, shown first, tried from a vantage, and written down at once."""

from __future__ import annotations

import json
import os
import shutil
import socket
import subprocess
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from click.testing import CliRunner

from stomion.cli.main import root
from stomion.errors import UsageError
from stomion.ingest.folder import read_case
from stomion.jobs.trying import plan_of, writer


def _case(folder: Path, rows: list[tuple[str, str, str, str]], vantages: dict[str, list[str]]) -> Path:
    text = 'title = "tried"\n'
    text += "".join(f"[[vantage]]\nname = {json.dumps(n)}\ncommand = {json.dumps(c)}\n" for n, c in vantages.items())
    keys = ("from", "to", "service", "outcome")
    text += "".join(
        "[[expect]]\n" + "".join(f"{k} = {json.dumps(v)}\n" for k, v in zip(keys, row, strict=True)) for row in rows
    )
    (folder / "case.toml").write_text(text)
    return folder


@pytest.fixture
def port() -> Iterator[int]:
    """A port of this machine's own loop that is listened on."""
    with socket.create_server(("127.0.0.1", 0)) as server:
        threading.Thread(target=lambda: _accept(server), daemon=True).start()
        yield server.getsockname()[1]


def _accept(server: socket.socket) -> None:
    while True:
        try:
            server.accept()[0].close()
        except OSError:
            return


def _run(case: Path, *words: str) -> tuple[int, str]:
    done = CliRunner().invoke(root, ["test", str(case), *words])
    return done.exit_code, done.output


needs_bash = pytest.mark.skipif(
    not (shutil.which("bash") and shutil.which("timeout")), reason="bash and timeout are needed"
)


@needs_bash
def test_connections_are_tried_and_written_down(tmp_path: Path, port: int) -> None:
    with socket.socket() as closed:
        closed.bind(("127.0.0.1", 0))
        dead = closed.getsockname()[1]
    rows = [("here", "127.0.0.1", f"tcp/{port}", "reach"), ("here", "127.0.0.1", f"tcp/{dead}", "blocked")]
    case = _case(tmp_path, rows, {"here": []})
    code, output = _run(case, "--yes")
    assert (code, output.count("━━")) == (0, 2)
    written = [json.loads(line) for line in (tmp_path / "path" / "tried.jsonl").read_text().splitlines()]
    assert [(r["service"], r["received"], r.get("error")) for r in written] == [
        (f"tcp/{port}", 1, None),
        (f"tcp/{dead}", 0, "refused"),
    ]
    assert [p.record.expected for p in read_case([case]).tests] == ["reach", "blocked"]
    assert _run(_case(tmp_path, [("here", "127.0.0.1", f"tcp/{port}", "blocked")], {"here": []}), "--yes")[0] == 1
    assert len((tmp_path / "path" / "tried.jsonl").read_text().splitlines()) == 3


def test_what_will_be_sent_is_shown_and_asked_for_first(tmp_path: Path) -> None:
    rows = [
        ("far", "10.66.0.9", "icmp", "reach"),
        ("far", "10.66.0.0/24", "icmp", "reach"),
        ("desk", "10.66.0.9", "tcp/80", "reach"),
    ]
    rows += [("far", "10.66.0.9", "udp/514", "reach")]
    case = _case(tmp_path, rows, {"far": ["ssh", "far.example"]})
    code, output = _run(case, "--plan")
    assert code == 0
    assert (
        "far > 10.66.0.9 icmp: 5 echo requests, one every 0.2 s   (ssh far.example 'ping -n -c 5 -i 0.2 -W 2 10.66.0.9')"
        in output
    )
    assert "case.toml declares no vantage desk" in output
    assert "10.66.0.0/24 is not one address" in output
    assert "silence on udp/514 would tell nothing" in output
    refused = CliRunner().invoke(root, ["test", str(case)]).exception
    assert isinstance(refused, UsageError)
    assert "run only when asked" in str(refused)
    assert not (tmp_path / "path").exists()


@pytest.mark.parametrize("bad", ["10.0.0.1; touch x", "$(touch x)", "-oProxyCommand=x"])
def test_nothing_of_a_case_becomes_a_word_of_a_shell(tmp_path: Path, bad: str) -> None:
    case = _case(tmp_path, [("here", bad, "tcp/80", "reach")], {"here": []})
    assert plan_of(read_case([case])).tests == ()


def test_results_go_into_the_case_and_nowhere_else(tmp_path: Path) -> None:
    (tmp_path / "path").mkdir()
    outside = tmp_path / "outside.jsonl"
    (tmp_path / "path" / "tried.jsonl").symlink_to(outside)
    with pytest.raises(UsageError):
        writer(str(tmp_path))({"kind": "test"})
    assert not outside.exists()


@pytest.mark.skipif(not shutil.which("ping"), reason="ping is needed")
def test_this_machine_itself_is_a_target_as_well(tmp_path: Path) -> None:
    _run(_case(tmp_path, [("here", "127.0.0.1", "icmp", "reach")], {"here": []}), "--yes")
    (record,) = map(json.loads, (tmp_path / "path" / "tried.jsonl").read_text().splitlines())
    assert (record["sent"], record["received"]) == (5, 5)


# Names of this process alone: several run at the same time.
A, B = f"stomion-a-{os.getpid()}", f"stomion-b-{os.getpid()}"


@pytest.fixture
def namespaces() -> Iterator[None]:
    """Two namespaces with a link between them, made and taken away again; skipped where this machine does not allow it."""
    if os.geteuid() != 0 or not all(map(shutil.which, ("ip", "ping", "bash", "timeout"))):
        pytest.skip("network namespaces need root, ip, ping, bash and timeout")
    for name in (A, B):
        subprocess.run(["ip", "netns", "del", name], capture_output=True, check=False)
    made = [["ip", "netns", "add", name] for name in (A, B)]
    made += [["ip", "-n", A, "link", "add", "v0", "type", "veth", "peer", "name", "v0", "netns", B]]
    for name, address in ((A, "10.96.0.1/24"), (B, "10.96.0.2/24")):
        made += [["ip", "-n", name, "addr", "add", address, "dev", "v0"], ["ip", "-n", name, "link", "set", "v0", "up"]]
    try:
        for words in made:
            if subprocess.run(words, capture_output=True, check=False).returncode:
                pytest.skip(f"this machine does not allow it: {' '.join(words)}")
        yield
    finally:
        for name in (A, B):
            subprocess.run(["ip", "netns", "del", name], capture_output=True, check=False)


@pytest.mark.usefixtures("namespaces")
def test_real_pings_and_connections_through_a_namespace(tmp_path: Path) -> None:
    here = ["ip", "netns", "exec", A]
    serve = (
        "import socket; s = socket.create_server(('10.96.0.2', 8080)); print('up', flush=True); s.accept(); s.accept()"
    )
    server = subprocess.Popen(["ip", "netns", "exec", B, "python3", "-c", serve], stdout=subprocess.PIPE)
    try:
        assert server.stdout is not None
        assert server.stdout.readline() == b"up\n"
        rows = [("quayhead/desk", "10.96.0.2", "icmp", "reach"), ("quayhead/desk", "10.96.0.9", "icmp", "blocked")]
        rows += [
            ("quayhead/desk", "10.96.0.2", "tcp/8080", "reach"),
            ("quayhead/desk", "10.96.0.2", "tcp/81", "blocked"),
        ]
        code, output = _run(_case(tmp_path, rows, {"quayhead/desk": here}), "--yes")
    finally:
        server.kill()
        server.communicate()
    written = [json.loads(line) for line in (tmp_path / "path" / "tried.jsonl").read_text().splitlines()]
    found = [(r["to"], r["service"], r["sent"], r["received"], r.get("error")) for r in written]
    assert found == [
        ("10.96.0.2", "icmp", 5, 5, None), ("10.96.0.9", "icmp", 5, 0, found[1][4]), ("10.96.0.2", "tcp/8080", 1, 1, None),
        ("10.96.0.2", "tcp/81", 1, 0, "refused"),
    ]  # fmt: skip
    # Nobody has this address: told by the neighbour table where it gives up in time.
    assert found[1][4] in ("unreachable", "timeout")
    assert (code, output.count("━━")) == (0, 4)
    assert len(written[0]["rtt_ms"]) == 5


@pytest.mark.usefixtures("namespaces")
def test_the_largest_packet_is_found_and_a_name_server_asked(tmp_path: Path) -> None:
    subprocess.run(["ip", "-n", A, "link", "set", "v0", "mtu", "1403"], check=True)
    serve = (
        "import socket; s = socket.socket(type=socket.SOCK_DGRAM); s.bind(('10.96.0.2', 53)); print('up', flush=True)\n"
        "data, to = s.recvfrom(512); assert len(data) == 17; s.sendto(data, to)"
    )
    server = subprocess.Popen(["ip", "netns", "exec", B, "python3", "-c", serve], stdout=subprocess.PIPE)
    try:
        assert server.stdout is not None
        assert server.stdout.readline() == b"up\n"
        rows = [("desk", "10.96.0.2", "udp/53", "reach"), ("desk", "10.96.0.2", "udp/123", "blocked")]
        case = _case(tmp_path, [*rows, ("desk", "10.96.0.2", "icmp", "reach")], {"desk": ["ip", "netns", "exec", A]})
        assert "up to 12 times 2 echo requests" in _run(case, "--sizes", "--plan")[1]
        code, output = _run(case, "--sizes", "--yes")
    finally:
        server.kill()
        server.communicate()
    assert code == 0, output
    written = [json.loads(line) for line in (tmp_path / "path" / "tried.jsonl").read_text().splitlines()]
    by_udp = [(r["service"], r["received"], r.get("error")) for r in written[:2]]
    assert by_udp == [("udp/53", 1, None), ("udp/123", 0, "refused")]
    sized = [r for r in written if "size" in r]
    assert max(r["size"] for r in sized if r["received"]) == 1403
    assert min(r["size"] for r in sized if not r["received"]) == 1404
