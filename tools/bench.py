"""Speed as ratios against floors measured in the same run: `make bench`. Minima of interleaved runs, as these are steady.

python tools/bench.py [--quick] [NAME ...]     names: start version capture codec log keys sheets walk hub fleet again counters sizes
"""

from __future__ import annotations

import argparse
import io
import json
import os
import random
import re
import struct
import subprocess
import sys
import tempfile
import time
import tracemalloc
from collections.abc import Callable
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path[:0] = [str(ROOT / "src"), str(ROOT / "tests")]

BARE = """
import os
from textual.app import App
from textual.widgets import Static
class Bare(App):
    def compose(self):
        yield Static("hello")
    def on_mount(self):
        self.call_after_refresh(os._exit, 0)
Bare().run(headless=True)
"""
OPENING = """
import os
from stomion.tui.app import StomionApp
from stomion.jobs.demo import demo_folder
class Timed(StomionApp):
    def _read(self):
        # Reading begins once the first screen is painted.
        os._exit(0)
Timed([demo_folder()]).run(headless=True)
"""
FILLED = """
import os
from stomion.tui.app import StomionApp
from stomion.jobs.demo import demo_folder
class Timed(StomionApp):
    def _examined(self, found):
        super()._examined(found)
        self.call_after_refresh(os._exit, 0)
Timed([demo_folder()]).run(headless=True)
"""

PEAK = """
print(*(line.split()[1] for line in open("/proc/self/status") if line.startswith("VmHWM")))
"""
CHECK = """
import contextlib, io, sys
from stomion.entry import main
sys.argv = ["stomion", "check", {folder!r}, "--no-cache"]
with contextlib.redirect_stdout(io.StringIO()) as out, contextlib.suppress(SystemExit):
    main()
assert len(out.getvalue()) > 100
"""
AGAIN = CHECK.replace(', "--no-cache"', "")
"""The same with what was kept of the case."""
LIST = """
import asyncio, os
from pathlib import Path
from stomion.tui.app import StomionApp
async def drive():
    app = StomionApp([Path({folder!r})], keep=True)
    async with app.run_test(size=(160, 47)) as pilot:
        while app.before is None or not app.screen._then:
            await pilot.pause(0.01)
        await asyncio.sleep(0.05)
        # What is read behind it, and stopping that, is no part of it.
        os._exit(0)
asyncio.run(drive())
"""
"""The list of tunnels as it stood at the last look."""


def timed(action: Callable[[], object]) -> float:
    """Seconds of one call."""
    begin = time.perf_counter()
    action()
    return time.perf_counter() - begin


def minima(actions: dict[str, Callable[[], object]], rounds: int) -> dict[str, float]:
    """Every action's best time over interleaved rounds."""
    best = dict.fromkeys(actions, float("inf"))
    for _ in range(rounds):
        for name, action in actions.items():
            best[name] = min(best[name], timed(action))
    return best


def line(name: str, ratio: float, floor: str, limit: float | None, more: str = "") -> None:
    """One row of the output."""
    goal = f"  (aim: {'≤' if limit else ''} {limit})" if limit is not None else ""
    print(f"{name:44} {ratio:8.2f} × {floor}{goal}{'  ' + more if more else ''}")


def _python(code: str) -> str:
    """What a piece of code prints, in an interpreter of its own. Raises RuntimeError where it fails, or shows a traceback and goes on."""
    env = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"} | {"PYTHONPATH": str(ROOT / "src")}
    done = subprocess.run([sys.executable, "-c", code], check=False, capture_output=True, env=env)
    if done.returncode or b"Traceback" in done.stderr + done.stdout:
        raise RuntimeError(done.stderr.decode("utf-8", "replace")[-2000:])
    return done.stdout.decode("utf-8", "replace")


def bench_start(quick: bool) -> None:
    """First paint of the opening screen, and the demo's tunnels on it, against a bare Textual app's first paint.

    Each process ends at the paint it is asked for: what goes on in the background after that, and its being called off, is no part of it.
    """
    found = minima(
        {"bare": lambda: _python(BARE), "open": lambda: _python(OPENING), "full": lambda: _python(FILLED)},
        3 if quick else 8,
    )
    bare = found["bare"]
    line(
        "opening screen, first paint",
        found["open"] / bare,
        "bare Textual app",
        2.0,
        f"{found['open'] * 1e3:.0f} ms against {bare * 1e3:.0f} ms",
    )
    line(
        "opening screen, demo read and shown",
        found["full"] / bare,
        "bare Textual app",
        None,
        f"{found['full'] * 1e3:.0f} ms",
    )


def bench_version(quick: bool) -> None:
    """`stomion --version` against an interpreter that does nothing."""
    code = "import sys; sys.argv=['stomion','--version']\nfrom stomion.entry import main\ntry: main()\nexcept SystemExit: pass"
    found = minima({"nothing": lambda: _python("pass"), "version": lambda: _python(code)}, 5 if quick else 15)
    line(
        "stomion --version",
        found["version"] / found["nothing"],
        "empty interpreter",
        None,
        f"{found['version'] * 1e3:.0f} ms (aim: 150 ms)",
    )


def capture_bytes(packets: int) -> bytes:
    """A capture with one IKE packet in twenty among web traffic."""
    import samples

    ike = [
        samples.ethernet(
            samples.udp4("192.0.2.10", "198.51.100.34", samples.init_request(14, spi=i.to_bytes(8, "big")))
        )
        for i in range(1, 101)
    ]
    web = bytearray(samples.ethernet(samples.udp4("192.0.2.10", "198.51.100.99", b"x" * 400, 443, 51000)))
    tcp = bytes(web[:23]) + b"\6" + bytes(web[24:])
    out = io.BytesIO()
    out.write(samples.pcap([]))
    for index in range(packets):
        data = ike[index // 20 % 100] if index % 20 == 0 else tcp if index % 3 else bytes(web)
        out.write(struct.pack("<IIII", 1_777_880_000 + index // 1000, index % 1_000_000, len(data), len(data)) + data)
    return out.getvalue()


def bench_capture(quick: bool) -> None:
    """A capture read, its IKE decoded and assembled, against a loop that only parses all headers with dpkt."""
    import dpkt

    from stomion.exchange.negotiation import assemble
    from stomion.ingest.capture import read_capture

    data = capture_bytes(40_000 if quick else 200_000)

    def floor() -> None:
        for _, packet in dpkt.pcap.Reader(io.BytesIO(data)):
            dpkt.ethernet.Ethernet(packet)

    def ours() -> None:
        capture, _ = read_capture(io.BytesIO(data), "x", "quayhead")
        assemble(capture.datagrams)

    found = minima({"floor": floor, "ours": ours}, 2 if quick else 3)
    line(
        "capture, 5 % IKE, read and assembled",
        found["ours"] / found["floor"],
        "dpkt parsing headers only",
        1.0,
        f"{found['ours']:.2f} s",
    )


def bench_codec(quick: bool) -> None:
    """IKE messages decoded a second, on one core."""
    import samples
    from stomion.wire.ike import decode

    raws = [
        samples.init_request(14, 19),
        samples.init_answer(14),
        samples.refusal(14),
        samples.sealed(35, 8, 240),
        samples.main_mode(),
    ]
    rounds = 1_000 if quick else 6_000
    best = min(timed(lambda: [decode(raw) for raw in raws * rounds]) for _ in range(3))
    copies = min(timed(lambda: [bytes(bytearray(raw)) for raw in raws * rounds]) for _ in range(3))
    line(
        "IKE messages decoded",
        best / copies,
        "copying their bytes",
        None,
        f"{len(raws) * rounds / best:,.0f} a second (aim: 20,000)",
    )


def write_log(path: Path, lines: int) -> None:
    """A gateway's log: three lines in a hundred are about IKE."""
    from stomion.standin.demo import demo_files

    ike = demo_files()["quayhead/ike.log"].decode().splitlines()
    other = "2026-05-04T09:14:07.{:03d}Z quayhead flow allow src=10.96.0.{} dst=198.51.100.{}:443 bytes={} rule=web-out state=new"
    with path.open("w") as out:
        for index in range(lines):
            if index % 33 == 0:
                out.write(ike[index // 33 % len(ike)] + "\n")
            else:
                out.write(other.format(index % 1000, index % 200, index % 250, index * 37 % 90_000) + "\n")


def alike_lines(lines: int) -> list[tuple[int, str]]:
    """Lines that are all about IKE, with other addresses and SA numbers in each."""
    from stomion.standin.demo import demo_files

    chance = random.Random(1)
    ike = [one for one in demo_files()["quayhead/ike.log"].decode().splitlines() if " ike [" in one]
    vary = re.compile(r"\[\d+\]|198\.51\.100\.\d+")

    def other(m: re.Match[str]) -> str:
        return f"[{chance.randrange(1, 100_000)}]" if m[0][0] == "[" else f"198.51.100.{chance.randrange(1, 255)}"

    return [(number, vary.sub(other, chance.choice(ike))) for number in range(1, lines + 1)]


def fixed_words() -> list[str]:
    """The words by which lines are picked, as fixed strings: of one with alternatives inside, what stands before these."""
    from stomion.logs.lexicon import RELEVANT

    words = re.sub(r"\\b", "", RELEVANT.pattern)
    words = re.sub(r"\([^)]*\)", "[", words)
    heads = (re.split(r"[\[.?]", re.sub(r".\?", "?", word))[0].strip() for word in words.split("|"))
    return sorted({head for head in heads if len(head) > 1})


def bench_log(quick: bool) -> None:
    """A large log to its findings, against `grep -ciF` with the same words over the same file."""
    from stomion.jobs.examine import examine

    with tempfile.TemporaryDirectory() as folder:
        site = Path(folder) / "quayhead"
        site.mkdir()
        path = site / "big.log"
        write_log(path, 50_000 if quick else 1_000_000)

        words = Path(folder) / ".words"
        words.write_text("\n".join(fixed_words()) + "\n")

        def floor() -> None:
            subprocess.run(["grep", "-ciF", "-f", str(words), str(path)], check=True, capture_output=True)

        found = minima({"floor": floor, "ours": lambda: examine([Path(folder)], keep=False)}, 1 if quick else 2)
        tracemalloc.start()
        examine([Path(folder)])
        peak = tracemalloc.get_traced_memory()[1] / 1e6
        tracemalloc.stop()
        size = path.stat().st_size / 1e6
    line(
        "log to first findings",
        found["ours"] / found["floor"],
        "grep with the same words",
        10,
        f"{found['ours']:.1f} s, {size:.0f} MB, peak {peak:.0f} MB",
    )
    dense_log(20_000 if quick else 100_000)


def dense_log(count: int) -> None:
    """A log of nothing but IKE to its events."""
    from stomion.ingest.logfile import shipped
    from stomion.logs.reader import read_log

    lines, phrases = alike_lines(count), shipped()
    best = min(
        timed(lambda: list(read_log(lines, "ike.log", "quayhead", year=2026, phrases=phrases))) for _ in range(3)
    )
    words = min(timed(lambda: [text.split() for _, text in lines]) for _ in range(3))
    speed = f"{count / best:,.0f} lines a second (aim: 60,000)"
    line("log of nothing but IKE to its events", best / words, "splitting its lines", None, speed)


async def _key_times(app: object, keys: list[str]) -> list[float]:
    """Seconds from each key press until the screen has settled."""
    from stomion.tui.app import StomionApp

    assert isinstance(app, StomionApp)
    times = []
    async with app.run_test(size=(160, 47)) as pilot:
        while app.examined is None:
            await pilot.pause(0.05)
        await pilot.press("9")
        await pilot.pause(2.0)
        for key in keys:
            begin = time.perf_counter()
            await pilot.press(key)
            times.append(time.perf_counter() - begin)
    return sorted(times)


def bench_sheets(quick: bool) -> None:
    """The sheets of a thousand tunnels read, joined and compared, against parsing their TOML alone."""
    import tomllib

    from stomion.jobs.examine import examine
    from stomion.jobs.sheets import started_sheet
    from stomion.views.compare import compare

    count = 100 if quick else 1_000
    with tempfile.TemporaryDirectory() as folder:
        sites = Path(folder) / "sites"
        sites.mkdir()
        texts = []
        for n in range(count):
            near, far = f"s{n}", f"h{n}"
            own, peer = f"198.51.{n // 250 + 100}.{n % 250 + 1}", f"203.0.{n // 250 + 113}.{n % 250 + 1}"
            lan, hub = f"10.{64 + n // 250}.{n % 250}.0/24", f"10.{96 + n // 250}.{n % 250}.0/24"
            for text, name in (
                (started_sheet(near, far, own, peer, lan, hub), near),
                (started_sheet(far, near, peer, own, hub, lan), far),
            ):
                (sites / f"{name}.toml").write_text(text)
                texts.append(text)

        def ours() -> None:
            examined = examine([Path(folder)])
            assert len(examined.tunnels) == count
            for diagnosis in examined.tunnels:
                compare(diagnosis.picture)

        found = minima({"floor": lambda: [tomllib.loads(t) for t in texts], "ours": ours}, 2)
    line(
        f"{count} tunnels' sheets compared",
        found["ours"] / found["floor"],
        "parsing their TOML",
        None,
        f"{found['ours']:.2f} s (aim: 2 s)",
    )


def bench_walk(quick: bool) -> None:
    """All packets between two LANs divided by the tables of both gateways, against reading the sheets alone."""
    from stomion.ingest.sheet import read_sheet
    from stomion.jobs.sheets import started_sheet
    from stomion.walk.declared import declared_tables, tunnel_policy
    from stomion.walk.journey import Side, partition

    count = 200 if quick else 2_000
    texts = []
    for near, far, own, peer, lan, other in (("a", "b", "192.0.2.1", "198.51.100.1", "10.64.0.0/16", "10.96.0.0/16"),
                                             ("b", "a", "198.51.100.1", "192.0.2.1", "10.96.0.0/16", "10.64.0.0/16")):  # fmt: skip
        text = started_sheet(near, far, own, peer, lan, other)
        text += f'[[interface]]\nname = "wan0"\naddresses = ["{own}/24"]\n[[interface]]\nname = "lan0"\naddresses = ["{lan[:-4]}1/16"]\n'
        text += '[[route]]\ndestination = "0.0.0.0/0"\ninterface = "wan0"\n'
        for n in range(count):
            match = f'source = "{lan[:5]}.{n % 200}.0/24", service = "tcp/{1000 + n}"'
            text += f'[[filter]]\nmatch = {{ {match} }}\naction = "{"allow" if n % 3 else "drop"}"\n'
        texts.append(text + '[[filter]]\nmatch = { service = "any" }\naction = "allow"\n')
    sheets = [read_sheet(text).sheet for text in texts]

    def ours() -> None:
        sides = [
            Side(s.site, t := declared_tables(s, ""), {}, p := tunnel_policy(s.tunnel[0], None), p.near)
            for s in sheets
            if s
        ]
        assert t and partition(sides[0], sides[1])

    found = minima({"floor": lambda: [read_sheet(text) for text in texts], "ours": ours}, 2)
    line(
        f"{count} rules a gateway, all packets divided",
        found["ours"] / found["floor"],
        "reading both sheets",
        None,
        f"{found['ours']:.1f} s",
    )


def hub_sheets(count: int) -> dict[str, str]:
    """The sheets of a hub with so many spokes: interfaces, routes, and two filter rules at the hub for each."""
    ends = 'site = "{site}"\n[[interface]]\nname = "wan0"\naddresses = ["{own}/24"]\n[[interface]]\nname = "lan0"\naddresses = ["{gate}"]\n'
    ends += '[[route]]\ndestination = "0.0.0.0/0"\ninterface = "wan0"\n'
    tunnel = '[[tunnel]]\nname = "q-{n}"\npeer_site = "{far}"\nlocal = "{own}"\npeer = "{peer}"\n'
    tunnel += 'local_ts = ["{lan}"]\nremote_ts = ["{there}"]\n'
    allow = '[[filter]]\nmatch = {{ source = "{a}", destination = "{b}" }}\naction = "allow"\n'
    main, rules = ends.format(site="hub", own="192.0.2.10", gate="10.96.0.1/20"), ""
    texts = {}
    for n in range(count):
        lan, peer = f"10.{64 + n // 250}.{n % 250}.0/24", spoke_address(n)
        near = {"n": n, "own": "192.0.2.10", "peer": peer, "lan": "10.96.0.0/20", "there": lan, "far": f"s{n}"}
        back = {"n": n, "own": peer, "peer": "192.0.2.10", "lan": lan, "there": "10.96.0.0/20", "far": "hub"}
        main += tunnel.format(**near)
        rules += allow.format(a="10.96.0.0/20", b=lan) + allow.format(a=lan, b="10.96.0.0/20")
        texts[f"s{n}"] = ends.format(site=f"s{n}", own=peer, gate=lan.replace(".0/", ".1/")) + tunnel.format(**back)
    texts["hub"] = main + rules
    return texts


def spoke_address(n: int) -> str:
    """A spoke's public address."""
    return f"198.51.{100 + n // 250}.{n % 250 + 1}"


def bench_hub(quick: bool) -> None:
    """A hub's tunnels, each walked through the hub's long tables and its own, against parsing the sheets' TOML alone."""
    import tomllib

    from stomion.jobs.examine import examine

    count = 50 if quick else 1_000
    texts = hub_sheets(count)
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "sites").mkdir()
        for name, text in texts.items():
            (Path(folder) / "sites" / f"{name}.toml").write_text(text)

        def ours() -> None:
            examined = examine([Path(folder)])
            assert len(examined.tunnels) == count and not any(d.findings for d in examined.tunnels)

        found = minima({"floor": lambda: [tomllib.loads(t) for t in texts.values()], "ours": ours}, 2)
    line(
        f"{count} tunnels of one hub walked",
        found["ours"] / found["floor"],
        "parsing their TOML",
        None,
        f"{found['ours']:.2f} s",
    )


def bench_fleet(quick: bool) -> None:
    """`check` of a hub's tunnels with sheets, counters, tests and a log of 1,000 lines at every spoke, against parsing the same files
    alone: TOML, JSON, and each log line searched for the trade's words. Then twice as many."""
    import tomllib

    import msgspec

    from stomion.ingest.logfile import finder
    from stomion.jobs.demo import write_fleet

    words = finder(())
    count = 50 if quick else 1_000
    with tempfile.TemporaryDirectory() as place:
        folder, double = Path(place) / "one", Path(place) / "two"
        write_fleet(folder, count)
        write_fleet(double, 2 * count)

        def floor() -> None:
            for path in (folder / "sites").iterdir():
                tomllib.loads(path.read_text())
            for path in folder.glob("*/*.jsonl"):
                for raw in path.read_bytes().splitlines():
                    msgspec.json.decode(raw)
            for path in folder.glob("*/ike.log"):
                with path.open("rb") as stream:
                    for raw in stream:
                        words.search(raw.lower())

        found = minima({"floor": floor, "ours": lambda: _python(CHECK.format(folder=str(folder)))}, 2)
        twice = minima({"twice": lambda: _python(CHECK.format(folder=str(double)))}, 1)["twice"]
    line(
        f"check of {count} tunnels, logs of 1,000 lines",
        found["ours"] / found["floor"],
        "parsing the same files",
        None,
        f"{found['ours']:.2f} s in a process of its own; twice as many tunnels {twice / found['ours']:.2f}×",
    )


def bench_again(quick: bool) -> None:
    """A fleet that was read before: nothing changed, one file of thousands changed, and its list on the screen; against reading it all."""
    from stomion.jobs.demo import write_fleet
    from stomion.jobs.examine import examine
    from stomion.jobs.look import keep_look, look_of

    count = 50 if quick else 1_000
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place) / "fleet"
        write_fleet(folder, count)
        keep_look([folder], look_of(examine([folder])))
        log = folder / "station0003" / "ike.log"

        def one_changed() -> None:
            log.write_text(log.read_text() + "2026-05-04T10:00:00Z ike: nothing\n")
            _python(AGAIN.format(folder=str(folder)))

        found = minima(
            {
                "all": lambda: _python(CHECK.format(folder=str(folder))),
                "again": lambda: _python(AGAIN.format(folder=str(folder))),
                "one": one_changed,
                "list": lambda: _python(LIST.format(folder=str(folder))),
            },
            2,
        )
    line(
        f"check of {count} tunnels, unchanged",
        found["again"] / found["all"],
        "reading all",
        None,
        f"{found['again']:.2f} s",
    )
    line("the same, one file changed", found["one"] / found["again"], "none changed", 1.2)
    line(
        "its list on the screen",
        found["list"] / found["all"],
        "reading all",
        None,
        f"{found['list']:.2f} s (aim: 1.5 s)",
    )


def write_readings(folder: Path, tunnels: int, readings: int) -> None:
    """A hub's tunnels whose counters were read at both ends, minute by minute; all of it arrives."""
    (folder / "sites").mkdir()
    for name, text in hub_sheets(tunnels).items():
        (folder / "sites" / f"{name}.toml").write_text(text)
    rows: dict[str, list[str]] = {"hub": []}
    for n in range(tunnels):
        for site, spis in (
            (f"s{n}", (f"{n + 1:08x}", f"{n + 90_000:08x}")),
            ("hub", (f"{n + 90_000:08x}", f"{n + 1:08x}")),
        ):
            lan = f"10.{64 + n // 250}.{n % 250}.0/24"
            for minute in range(readings):
                sent, got = (minute * 90, minute * 100) if site == "hub" else (minute * 100, minute * 90)
                rows.setdefault(site, []).append(json.dumps({
                    "kind": "counters", "at": f"2026-05-04T{minute // 60 % 24:02d}:{minute % 60:02d}:00Z", "site": site, "spi_in": spis[0],
                    "spi_out": spis[1], "packets_out": sent, "packets_in": got, "age_s": 60 * minute,
                    "remote_ts": ["10.96.0.0/20" if site != "hub" else lan],
                }))  # fmt: skip
    # Whoever asks a hub gets all its SAs, minute by minute.
    rows["hub"] = [row for minute in range(readings) for row in rows["hub"][minute::readings]]
    for site, found in rows.items():
        (folder / site).mkdir()
        (folder / site / "counters.jsonl").write_text("\n".join(found) + "\n")


def bench_counters(quick: bool) -> None:
    """`check` of counters read by the minute at both ends, against decoding the same records with the same decoder; and twice as many."""
    from stomion.ingest.records import _RECORD

    readings, times = (240 if quick else 1_440), []
    for tunnels in (10, 20) if quick else (500, 1_000):
        with tempfile.TemporaryDirectory() as place:
            folder = Path(place)
            write_readings(folder, tunnels, readings)

            def floor(folder: Path = folder) -> None:
                for path in folder.glob("*/counters.jsonl"):
                    with path.open("rb") as stream:
                        for raw in stream:
                            _RECORD.decode(raw)

            def ours(folder: Path = folder) -> None:
                _python(CHECK.format(folder=str(folder)))

            found = minima({"floor": floor, "ours": ours}, 2)
        times.append(found["ours"])
        name = f"counters of {tunnels} tunnels, {readings:,} readings"
        line(name, found["ours"] / found["floor"], "decoding the same records", 3, f"{found['ours']:.2f} s")
    line("twice as many tunnels' counters", times[1] / times[0], "the half", 2.2)


async def _bare_key_times(count: int) -> list[float]:
    """The same of an app with nothing in it: what the driver of the test itself takes."""
    from textual.app import App

    times = []
    app: App[None] = App()
    async with app.run_test(size=(160, 47)) as pilot:
        for _ in range(count):
            begin = time.perf_counter()
            await pilot.press("down")
            times.append(time.perf_counter() - begin)
    return sorted(times)


def bench_keys(quick: bool) -> None:
    """A key press on the evidence screen: a large log against one of a few lines."""
    import asyncio

    from stomion.tui.app import StomionApp

    keys = ["pagedown", "down", "n", "G", "up", "pageup", "N", "g"] * (4 if quick else 15)
    found = {}
    with tempfile.TemporaryDirectory() as folder:
        for name, count in (("small", 200), ("large", 50_000 if quick else 1_000_000)):
            site = Path(folder) / name / "quayhead"
            site.mkdir(parents=True)
            write_log(site / "ike.log", count)
            found[name] = asyncio.run(_key_times(StomionApp([site.parent]), keys))
    found["bare"] = asyncio.run(_bare_key_times(60))
    p95 = {name: times[int(len(times) * 0.95)] for name, times in found.items()}
    line("key on the evidence screen, p95", p95["large"] / p95["small"], "a log of 200 lines", None,
         f"{p95['large'] * 1e3:.0f} ms, a bare app under the same driver {p95['bare'] * 1e3:.0f} ms (aim: 50 ms)")  # fmt: skip


def bench_sizes(quick: bool) -> None:
    """Large, honest inputs at one size and at twice that: what is read costs in proportion."""
    from bench_sizes import SIZES

    for what, (make, count) in SIZES.items():
        count //= 10 if quick else 1
        times = []
        for number in (count, 2 * count):
            with tempfile.TemporaryDirectory() as place:
                make(Path(place), number)
                code = CHECK.format(folder=place)
                times.append(minima({"ours": lambda code=code: _python(code)}, 2)["ours"])  # type: ignore[misc]
        line(f"{2 * count:,} {what}", times[1] / times[0], "half as many", 2.3, f"{times[1]:.2f} s")
    bench_memory("IKE messages", *SIZES["IKE messages"])


def bench_memory(what: str, make: Callable[[Path, int], None], count: int) -> None:
    """How much more memory a case takes than one of a single item does, against its size on disk."""
    peaks, size = [], 0
    for number in (1, count):
        with tempfile.TemporaryDirectory() as place:
            make(Path(place), number)
            size = sum(path.stat().st_size for path in Path(place).rglob("*") if path.is_file())
            peaks.append(1024 * float(_python(CHECK.format(folder=place) + PEAK)))
    more = (peaks[1] - peaks[0]) / size
    line(f"memory for {count:,} {what}", more, "their files", 8, f"{peaks[1] / 1e6:.0f} MB, files {size / 1e6:.1f} MB")


BENCHES = {
    "start": bench_start,
    "version": bench_version,
    "capture": bench_capture,
    "codec": bench_codec,
    "log": bench_log,
    "keys": bench_keys,
    "sheets": bench_sheets,
    "walk": bench_walk,
    "hub": bench_hub,
    "fleet": bench_fleet,
    "again": bench_again,
    "counters": bench_counters,
    "sizes": bench_sizes,
}


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--quick", action="store_true", help="smaller inputs, fewer rounds")
    parser.add_argument("names", nargs="*", metavar="NAME", help=f"of: {', '.join(BENCHES)}; all where none is named")
    args = parser.parse_args()
    unknown = [n for n in args.names if n not in BENCHES]
    if unknown:
        parser.error(f"there is no bench {unknown[0]}; there are: {', '.join(BENCHES)}")
    for name in args.names or BENCHES:
        BENCHES[name](args.quick)


if __name__ == "__main__":
    main()
