"""The screens, driven by keys: what is shown, where keys lead, narrow terminals, odd and empty cases."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from textual.pilot import Pilot

from conftest import RECORDED
from driving import ready, text_of
from stomion.jobs.demo import demo_folder
from stomion.tui.app import StomionApp
from stomion.tui.keymap import KEYS, SCREENS
from stomion.tui.spans import cut, left, right, width_of, wrap
from stomion.tui.widgets.lines import Lines
from stomion.views.seam import Stretch, stretch_text


async def test_from_the_list_to_the_refusal_and_its_proof() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        assert "Saltern offers group 14 only; Quayhead takes group 20 or 19. Nothing else differs." in text_of(app)
        await pilot.press("enter")
        await pilot.pause()
        assert app.place == "tunnel"
        assert "must change" in text_of(app)
        await pilot.press("3")
        await pilot.pause()
        shown = text_of(app)
        assert "attempt 14 of 14, every 30 s, all refused alike" in shown
        assert "KE 0x0e = 14  2048-bit MODP" in shown
        assert "╱╱ takes 20 or 19" in shown
        assert "what Saltern is set to, as far as its packets tell" in shown
        await pilot.press("e")
        await pilot.pause(0.3)
        assert app.place == "evidence"
        assert "no IKE proposal in common with 203.0.113.10" in text_of(app)
        for place in ("negotiation", "tunnel", "tunnels"):
            await pilot.press("escape")
            await pilot.pause()
            assert app.place == place


async def test_a_packet_of_proof_is_found_on_its_ladder() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        await pilot.press("enter", "end")
        await pilot.pause()
        lines = app.screen.query_one(Lines)
        while "#" not in app.screen.copied():
            lines.action_move(-1)
        place = app.screen.copied()
        await pilot.press("enter")
        await pilot.pause(0.2)
        assert app.place == "negotiation"
        assert place in text_of(app)


async def test_findings_and_tunnels_are_stepped_through() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        await pilot.press("enter", "f")
        await pilot.pause()
        assert "Driftwood could not make sense of Quayhead's first encrypted message." in text_of(app)
        await pilot.press("f")
        await pilot.pause()
        assert "use IKEv1, which RFC 9395 deprecates" in text_of(app)
        await pilot.press("f")
        await pilot.pause()
        assert "Marram has 10.66.0.0/22 on its side; Quayhead means 10.66.0.0/21." in text_of(app)
        assert "░" in text_of(app)
        await pilot.press("f")
        await pilot.pause()
        assert "host-b behind Gannet has no default gateway" in text_of(app)
        await pilot.press("f")
        await pilot.pause()
        assert "every rekey fails" in text_of(app)
        await pilot.press(*["right_square_bracket"] * 6)
        await pilot.pause()
        assert "Carries traffic; rekeyed 2 times." in text_of(app)
        await pilot.press("e")
        await pilot.pause()
        assert app.place == "tunnel"


async def test_the_filter_narrows_and_escape_clears_it() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        await pilot.press("slash", *"marram")
        await pilot.pause()
        assert "11 tunnels · 1 shown" in text_of(app)
        assert app.current.picture.name == "quayhead-marram"
        await pilot.press("enter")
        await pilot.press("escape")
        await pilot.pause()
        assert "11 tunnels · 4 broken · 4 degraded" in text_of(app)
        await pilot.press("slash", *"zzz")
        await pilot.pause()
        assert "No tunnel fits" in text_of(app)


@pytest.mark.parametrize("size", [(100, 30), (60, 20), (160, 47), (220, 60)])
@pytest.mark.parametrize("ground", ["reef-night", "reef-day"])
async def test_every_screen_fits_every_size_and_ground(size: tuple[int, int], ground: str) -> None:
    app = StomionApp([demo_folder()], ground=ground)
    async with app.run_test(size=size) as pilot:
        await ready(pilot)
        for number, name in SCREENS:
            await pilot.press(number)
            await pilot.pause(0.05)
            assert app.place == name
            rows = text_of(app).split("\n")
            assert len(rows) == size[1]
            assert f"{number} {name}" in rows[-1]


async def test_keys_are_listed_and_actions_exist() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        await pilot.press("question_mark")
        await pilot.pause()
        assert "go to the proof" in text_of(app)
        await pilot.press("escape")
        for key in KEYS:
            name = key.action.removeprefix("app.action_").removeprefix("app.").split("(")[0]
            if key.action.startswith("app."):
                assert hasattr(app, f"action_{name}"), key


async def test_what_to_fetch_next_is_shown_copied_and_written(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    copied: list[str] = []
    monkeypatch.setattr(StomionApp, "copy_to_clipboard", lambda _self, text: copied.append(text))
    root = tmp_path / "case"
    (root / "quayhead").mkdir(parents=True)
    lines = ("initiating IKEv2 to 198.51.100.34:500", "giving up on 198.51.100.34, no answer")
    (root / "quayhead/ike.log").write_text("".join(f"2026-05-04T09:14:0{n}Z gw ike {x}\n" for n, x in enumerate(lines)))
    app = StomionApp([root])
    async with app.run_test(size=(100, 30)) as pilot:
        await ready(pilot)
        await pilot.press("enter", "o")
        await pilot.pause()
        shown = text_of(app)
        assert "Ask 198.51.100.34" in shown and "Ask the provider" in shown and "does its next hop answer" in shown
        await pilot.press("c", "x", "escape")
        await pilot.pause()
        assert app.place == "tunnel"
    assert copied[0].startswith("To Quayhead:")
    (written,) = (root / ".stomion").iterdir()
    assert written.read_text() == copied[0] + "\n"


async def test_a_tunnel_s_evidence_opens_where_it_failed_and_folds_to_its_lines() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        app.choose(next(d for d in app.order if d.picture.right.site == "saltern"))
        await pilot.press("9")
        await pilot.pause(0.3)
        lines = app.screen.query_one(Lines)
        first = lines.row
        assert "no IKE proposal in common with 203.0.113.10" in text_of(app) and "192.0.2.10" not in app.screen.copied()
        await pilot.press("m")
        await pilot.pause()
        shown = text_of(app)
        assert "this tunnel's" in shown and "Marram" not in shown and app.screen.copied().count("no IKE proposal") == 1
        await pilot.press("m")
        await pilot.pause()
        assert app.screen.query_one(Lines).row == first
        # The same tunnel's evidence stays where it was left; another one's opens anew.
        await pilot.press("home", "2", "9")
        await pilot.pause(0.3)
        assert app.screen.query_one(Lines).row == 0
        app.choose(next(d for d in app.order if d.picture.right.site == "marram"))
        await pilot.press("2", "9")
        await pilot.pause(0.3)
        assert "marram/gateway.log" in text_of(app) and app.screen.query_one(Lines).row == 5


async def test_the_path_of_a_tunnel_that_is_down_says_so() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(120, 40)) as pilot:
        await ready(pilot)
        for site, says in (("saltern", "The tunnel is down (ike)"), ("whelk", "")):
            app.choose(next(d for d in app.order if d.picture.right.site == site))
            await pilot.press("5")
            await pilot.pause(0.2)
            shown = text_of(app)
            assert ("The tunnel is down" in shown) is bool(says) and says in shown
            assert ("were the tunnel up" in shown) is bool(says)
            await pilot.press("1")


async def test_a_working_tunnel_s_negotiation_opens_at_its_latest() -> None:
    app = StomionApp([RECORDED / "v2-rekey-under-traffic"])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        await pilot.press("3")
        await pilot.pause(0.2)
        assert app.screen._attempt == len(app.current.picture.negotiations) - 1


async def test_the_palette_holds_every_action_of_its_screen_once() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(120, 40)) as pilot:
        await ready(pilot)
        for place in ("tunnels", "path"):
            if place == "path":
                await pilot.press("5")
                await pilot.pause()
            listed = [c.title.lower() for c in app.get_system_commands(app.screen)]
            wanted = [k.does.lower() for k in KEYS if k.action and (place in k.where or "all" in k.where)]
            assert listed == wanted and len(set(listed)) == len(listed)
        await pilot.press("ctrl+p")
        await pilot.pause(0.3)
        assert "/" in str(app.screen.query_one("SearchIcon").render())
        await pilot.press(*"map of all", "enter")
        await pilot.pause(0.5)
        assert app.place == "path" and "all packets" in text_of(app).lower()


async def test_mouse_chooses_and_opens() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        await pilot.click("#list", offset=(20, 2))
        await pilot.pause()
        assert app.current.picture.name == "quayhead-marram"
        await pilot.click("#list", offset=(20, 2))
        await pilot.pause()
        assert app.place == "tunnel"


async def test_copying_and_ground(monkeypatch: pytest.MonkeyPatch) -> None:
    app = StomionApp([demo_folder()])
    copied: list[str] = []
    monkeypatch.setattr(StomionApp, "copy_to_clipboard", lambda _self, text: copied.append(text))
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        await pilot.press("c", "t")
        await pilot.pause()
        assert copied[0].startswith("quayhead-saltern: Saltern offers group 14 only")
        assert app.theme == "reef-day"


async def test_an_empty_case_says_what_a_case_is(tmp_path: Path) -> None:
    app = StomionApp([tmp_path])
    async with app.run_test(size=(120, 30)) as pilot:
        await ready(pilot)
        assert "A case is a folder with a sub-folder per site" in text_of(app)
        for number, _ in SCREENS:
            await pilot.press(number, "f", "e", "c", "a", "right_square_bracket")
            await pilot.pause(0.02)


async def test_long_names_and_markup_do_no_harm(tmp_path: Path) -> None:
    name = "[bold red]" + "verylongsitename-" * 6
    (tmp_path / name).mkdir()
    shutil.copy(demo_folder() / "quayhead" / "ike.log", tmp_path / name / "a\x1b[31m.log")
    app = StomionApp([tmp_path])
    async with app.run_test(size=(100, 30)) as pilot:
        await ready(pilot)
        for number, _ in SCREENS:
            await pilot.press(number)
            await pilot.pause(0.1)
            assert "\x1b" not in text_of(app)
        await pilot.press("1")
        await pilot.pause(0.1)
        assert "[bold red]" in text_of(app)[:2000].lower()


async def test_reading_can_be_stopped(tmp_path: Path) -> None:
    app = StomionApp([demo_folder()])
    app._token.cancelled = True
    async with app.run_test(size=(100, 30)) as pilot:
        await ready(pilot)
        await pilot.press("r")
        await ready(pilot)
        assert app.examined is not None


@pytest.mark.parametrize("stretch", Stretch)
@pytest.mark.parametrize("width", [3, 5, 7, 10])
def test_a_stretch_takes_exactly_its_columns(stretch: Stretch, width: int) -> None:
    assert sum(len(text) for text, _ in stretch_text(stretch, width)) == width


def test_the_break_lies_on_the_side_of_the_end_that_must_change() -> None:
    at = {s: "".join(t for t, _ in stretch_text(s, 10)).index("╱╱") for s in Stretch if s.name.startswith("BREAK")}
    assert at[Stretch.BREAK_LEFT] < at[Stretch.BREAK_MIDDLE] < at[Stretch.BREAK_RIGHT]


def test_texts_are_fitted_by_columns() -> None:
    assert [cut("abcdef", 4), left("ab", 4), right("ab", 4)] == ["abc…", "ab  ", "  ab"]
    assert width_of([("漢字", "plain")]) == 4
    assert wrap("one two threefourfive", 9) == ["one two", "threefour", "five"]


async def test_a_narrow_page_keeps_what_the_ends_differ_in() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(100, 30)) as pilot:
        await ready(pilot)
        await pilot.press("enter")
        await pilot.pause()
        row = next(r for r in text_of(app).split("\n") if " ike " in r)
        assert "group 20 or 19" in row
        assert row.rstrip().endswith("group 14")


async def test_evidence_is_filtered_while_typing_and_followed(tmp_path: Path) -> None:
    (tmp_path / "quayhead").mkdir()
    log = tmp_path / "quayhead" / "ike.log"
    log.write_bytes((demo_folder() / "quayhead" / "ike.log").read_bytes())
    app = StomionApp([tmp_path])
    async with app.run_test(size=(140, 40)) as pilot:
        await ready(pilot)
        await pilot.press("9")
        await pilot.pause(0.3)
        await pilot.press("slash", *"TS_UNACC")
        shown = ""
        for _ in range(40):  # a loaded machine filters later, not differently
            await pilot.pause(0.2)
            shown = text_of(app)
            if "3 of 350 lines" in shown:
                break
        assert "3 of 350 lines" in shown
        assert shown.count("TS_UNACCEPTABLE received") == 3
        await pilot.press("enter", "escape")
        for _ in range(40):
            await pilot.pause(0.2)
            if "3 of" not in text_of(app):
                break
        assert "3 of" not in text_of(app)
        await pilot.press("G", "w")
        with log.open("a") as out:
            out.write(
                "2026-05-04T09:30:00.000Z quayhead ike NO_PROPOSAL_CHOSEN received from 203.0.113.10, the very last line\n"
            )
        last = ""
        for _ in range(40):  # a loaded machine reads the new line later, not differently
            await pilot.pause(0.5)
            last = next((r for r in text_of(app).split("\n") if "the very last line" in r), "")
            if "╱ 2026" in last:
                break
        assert "╱ 2026" in last  # understood without being asked for
        await pilot.press("w")


async def test_both_ends_are_read_as_one_and_side_by_side() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        app.choose(next(d for d in app.order if d.picture.name == "quayhead-marram"))
        await pilot.press("9", "v")
        await pilot.pause(0.2)
        rows = [r for r in text_of(app).split("\n") if "initiating" in r or "calls" in r]
        assert "Quayhead and Marram in one column" in text_of(app)
        assert ["Quayhead" in r for r in rows[:4]] == [True, False, True, False]
        await pilot.press("v")
        await pilot.pause(0.2)
        left_page = next(r for r in text_of(app).split("\n") if "initiating" in r)
        right_page = next(r for r in text_of(app).split("\n") if " calls" in r)
        assert left_page.index("initiating") < 78 < right_page.index("calls")
        await pilot.press("slash", *"refused", "enter")
        await pilot.pause(0.2)
        assert text_of(app).count("refused") == 4
        await pilot.press("enter")
        await pilot.pause(0.3)
        assert "lines," in text_of(app) and app.place == "evidence"


async def test_failures_are_jumped_to_across_attempts() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        await pilot.press("3", *"A" * 13, "n")
        await pilot.pause()
        assert "attempt 1 of 14" in text_of(app)
        await pilot.press(*"n" * 8)
        await pilot.pause()
        assert "attempt 1 of 14" not in text_of(app)
        await pilot.press(*"N" * 20)
        await pilot.pause()
        assert "attempt 1 of 14" in text_of(app)


async def test_a_packet_is_walked_and_a_rule_tried_elsewhere() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        app.choose(next(d for d in app.order if d.picture.name == "quayhead-eelgrass"))
        await pilot.press("2")
        await pilot.pause(0.2)
        assert "nat · proven by the tables" in text_of(app)
        await pilot.press("5")
        await pilot.pause(0.3)
        shown = text_of(app)
        assert "It ends: no tunnel takes it, it leaves unencrypted, translated." in shown
        assert "must change" in shown and "rule 2 “not into the tunnel” exempts it, never asked" in shown
        assert "the rule         masquerade 10.70.0.0/22 > any out wan0" in shown
        await pilot.press("greater_than_sign")
        await _worked(pilot)
        shown = text_of(app)
        assert "in translation move rule 1 “to the internet” below rule 2 “not into the tunnel”" in shown
        assert "gone: exemption-shadowed at eelgrass" in shown and "0 of 3" in shown
        assert "translated → carried" in shown
        assert "let it pass, and its answer too" in shown
        await pilot.press("u")
        await pilot.pause(0.3)
        assert "no gateway is touched" not in text_of(app)
        await pilot.press("slash", *"10.70.0.9 > 10.96.0.10 udp/53", "enter")
        await pilot.pause(0.3)
        assert "udp/53 10.70.0.9 > 10.96.0.10" in text_of(app) and "was not tried" in text_of(app)
        await pilot.press("slash", *"nonsense", "enter")
        await pilot.pause(0.2)
        assert any("a flow is: SOURCE" in n.message for n in app._notifications)
        await pilot.press("escape", "left_square_bracket", "left_square_bracket")
        await pilot.pause(0.3)
        assert "path" in text_of(app)


async def _worked(pilot: Pilot[None]) -> None:
    """Until what is worked out beside the screen is on it."""
    await pilot.app.workers.wait_for_complete()
    await pilot.pause(0.1)


async def _eelgrass(pilot: Pilot[None]) -> None:
    await ready(pilot)
    await pilot.press("end", *["up"] * 5, "5")
    await pilot.pause(0.3)


async def test_what_ifs_are_typed_kept_side_by_side_and_written_down(tmp_path: Path) -> None:
    shutil.copytree(demo_folder(), tmp_path / "case")
    app = StomionApp([tmp_path / "case"])
    async with app.run_test(size=(160, 60)) as pilot:
        await _eelgrass(pilot)
        await pilot.press("down", "plus")
        assert app.screen.query_one("#typed").value == "at Eelgrass: exempt 10.70.0.0/22 > 10.96.0.0/20"
        await pilot.press("enter")
        await _worked(pilot)
        assert "add above rule 1 “to the internet”: exempt 10.70.0.0/22 > 10.96.0.0/20" in text_of(app)
        await pilot.press("s")
        await _worked(pilot)
        assert "▸ B" in text_of(app) and "nothing yet: < > - + = change it" in text_of(app)
        await pilot.press("up", "equals_sign", *", out wan7", "enter")
        await pilot.pause(0.2)
        assert any(
            "'wan7" in n.message or "no range" in n.message or "no service" in n.message for n in app._notifications
        )
        await pilot.press("escape", "minus")
        await _worked(pilot)
        shown = text_of(app)
        assert "switch rule 1 “to the internet” off" in shown and "with B" in shown and shown.count("0 of 3") == 2
        await pilot.press("left_square_bracket", "right_square_bracket", "1", "5")
        await _worked(pilot)
        assert "▸ B" in text_of(app)
        await pilot.press("tab")
        await pilot.pause(0.2)
        assert "▸ A" in text_of(app)
        await pilot.press("x", "c")
        await pilot.pause(0.2)
        assert (
            "exempt 10.70.0.0/22 > 10.96.0.0/20"
            in (tmp_path / "case/.stomion/quayhead-eelgrass-steps-A.md").read_text()
        )
        assert app.clipboard.startswith("Eelgrass: in translation add above rule 1")
        await pilot.press("D", "u", "U", "u", "D", "u")
        await _worked(pilot)
        assert "no gateway is touched" not in text_of(app)


async def test_the_map_is_walked_field_by_field_and_opens_the_rule(tmp_path: Path) -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(160, 60)) as pilot:
        await ready(pilot)
        for _ in range(12):
            await pilot.press("5")
            await pilot.pause(0.1)
            if "Quayhead — Whelk" in text_of(app).replace("–", "—"):
                break
            await pilot.press("right_square_bracket")
            await pilot.pause(0.1)
        await pilot.press("m")
        await pilot.pause(0.2)
        shown = text_of(app)
        assert "░░ dropped" in shown and "██ carried" in shown
        assert "Quayhead 10.96.0.0/20 to Whelk" in shown
        await pilot.press("right", "right", "left")
        await pilot.press("enter")
        await pilot.pause(0.3)
        assert app.place == "evidence"
        await pilot.press("escape", "m")
        await pilot.pause(0.2)
        assert app.place == "path" and "the packet then" in text_of(app)


async def test_keys_that_have_nothing_to_change_say_so(tmp_path: Path) -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(100, 30)) as pilot:
        await ready(pilot)
        await pilot.press("5")
        await pilot.pause(0.2)
        await pilot.press(
            "minus", "equals_sign", "less_than_sign", "u", "U", "s", "tab", "D", "x", "m", "right", "plus", "n", "enter"
        )
        await pilot.pause(0.3)
        assert app.place == "path" and len(app._notifications) >= 6


async def test_the_same_flow_stays_in_view_while_something_is_tried() -> None:
    """Tests that were made twice are one flow once a change is tried; the one that is looked at must not become another."""
    app = StomionApp([RECORDED / "v2-policy-route-bypasses-tunnel"])
    async with app.run_test(size=(160, 60)) as pilot:
        await ready(pilot)
        await pilot.press("5")
        await pilot.pause(0.2)
        head = text_of(app).splitlines()[2].split("   ")[0]
        assert "led there by     routing rule 150, table 50" in text_of(app)
        await pilot.press("minus")
        await _worked(pilot)
        shown = text_of(app)
        assert "0 of 4" in shown and shown.splitlines()[2].split("   ")[0] == head
        await pilot.press("n", "u")
        await _worked(pilot)
        assert text_of(app).splitlines()[2].split("   ")[0] != head and "no gateway is touched" not in text_of(app)


async def test_the_time_axis_of_the_counters_is_walked() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        app.choose(next(d for d in app.order if "farlight" in d.picture.name))
        await pilot.press("6")
        await pilot.pause()
        assert "so far" in text_of(app)
        await pilot.press("v", "N")
        await pilot.pause()
        assert "→ each" in text_of(app)
        at = next(row for row in text_of(app).split("\n") if row.startswith("  at "))
        await pilot.press("left")
        await pilot.pause()
        assert at not in text_of(app)
        await pilot.press("end", "enter")
        await pilot.pause(0.2)
        assert app.place == "evidence"
        app.choose(next(d for d in app.order if "marram" in d.picture.name))
        await pilot.press("6")
        await pilot.pause()
        assert "No counters of this tunnel were read." in text_of(app)


async def test_the_cells_of_the_traffic_matrix_are_walked() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(160, 47)) as pilot:
        await ready(pilot)
        app.choose(next(d for d in app.order if "whelk" in d.picture.name))
        await pilot.press("7")
        await pilot.pause()
        assert "blocked as wanted" in text_of(app)
        assert "by the tables it ends" in text_of(app)
        await pilot.press("right", "left", "down")
        await pilot.pause()
        await pilot.press("enter")
        await pilot.pause(0.2)
        assert app.place == "evidence"
        app.choose(next(d for d in app.order if "marram" in d.picture.name))
        await pilot.press("7")
        await pilot.pause()
        assert "Nothing was tried between the two LANs" in text_of(app)


async def test_nothing_can_be_walked_where_there_is_no_tunnel(tmp_path: Path) -> None:
    app = StomionApp([tmp_path])
    async with app.run_test(size=(100, 30)) as pilot:
        await ready(pilot)
        await pilot.press("5", "slash", *"10.0.0.1", "enter")
        await pilot.pause(0.1)
        assert app.place in ("path", "tunnels")
