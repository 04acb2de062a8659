"""Pockets: the list, copies and the bin; and the address, which says what is open and leads back to it."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.ui.conftest import Opener


def test_a_pocket_is_copied_put_away_and_taken_back(opened: Opener) -> None:
    ui = opened()
    name = f"Quay {ui.live.id[:6]}"
    ui.live.edit({"type": "set_pocket", "name": name})
    ui.wait("pocket.name === arg", name)
    ui.borrow("Dockside break")
    ui.button("Pockets").click()
    ui.page.get_by_role("menuitem", name="All pockets…").click()
    rows = ui.page.get_by_role("table", name="All pockets").get_by_role("row")
    mine, copied = rows.filter(has_text=name).filter(has_not_text="copy"), rows.filter(has_text=f"{name}, copy")
    expect(mine).to_contain_text("1 find, 0 patterns")
    expect(mine).to_contain_text("open")
    ui.page.get_by_role("button", name=f"Menu of the pocket {name}", exact=True).click()
    ui.page.get_by_role("menuitem", name="Copy it").click()
    expect(copied).to_have_count(1)
    # The open one goes into the bin: another is open then, and the toast takes it back.
    ui.page.get_by_role("button", name=f"Menu of the pocket {name}", exact=True).click()
    ui.page.get_by_role("menuitem", name="Put it in the bin").click()
    ui.wait("gp.usePocket.getState().open.id !== arg", ui.live.id)
    expect(ui.page.get_by_role("region", name="The bin")).to_contain_text(name)
    ui.button("Take back").first.click()
    expect(mine).to_have_count(1)
    mine.get_by_role("button", name=name, exact=True).click()
    ui.wait("gp.usePocket.getState().open.id === arg", ui.live.id)
    # The house has the keys again.
    expect(ui.page.get_by_role("dialog")).to_have_count(0)
    ui.page.get_by_role("button", name="Open Dockside break", exact=True).click()
    ui.page.keyboard.press("Space")
    ui.wait("gp.useTape.getState().playing !== null && gp.useTape.getState().playing !== false")
    ui.page.keyboard.press("Space")


def test_the_address_goes_back_and_forward_and_opens_what_it_names(opened: Opener) -> None:
    ui = opened()
    first, second = ui.borrow("Dockside break"), ui.borrow("Marlo hum")
    ui.page.get_by_role("button", name="Open Marlo hum", exact=True).click()
    ui.station("Listen")
    ui.station("Shape")
    ui.page.get_by_role("button", name="Finds", exact=True).click()
    ui.page.get_by_role("button", name="Open Dockside break", exact=True).click()
    assert ui.page.url.endswith(f"#/{ui.live.id}/shape/{first}")
    ui.page.go_back()
    ui.wait("gp.useView.getState().source === arg", second)
    ui.page.go_back()
    ui.wait("gp.useView.getState().station === 'listen'")
    ui.page.go_forward()
    ui.wait("gp.useView.getState().station === 'shape'")
    # Another pocket, and back: what was open in the first is open again.
    other = ui.live.ask("POST", "/api/pockets", {"name": "Elsewhere"})[1]["id"]
    ui.page.evaluate("hash => { location.hash = hash; }", f"#/{other}/mix")
    ui.wait("gp.usePocket.getState().open.id === arg && gp.useView.getState().station === 'mix'", other)
    ui.page.go_back()
    ui.wait("gp.usePocket.getState().open.id === arg[0] && gp.useView.getState().source === arg[1]", [ui.live.id, second])
    # A link opens what it names, whatever was open last; one that leads nowhere says so.
    ui.page.goto("about:blank")
    ui.page.goto(f"{ui.live.server.url}#/{ui.live.id}/chop/{first}")
    ui.page.wait_for_selector("[data-testid=pad-grid]")
    ui.wait("gp.useView.getState().station === 'chop' && gp.useView.getState().source === arg", first)
    ui.page.evaluate("() => { location.hash = '#/nowhere/chop'; }")
    expect(ui.page.get_by_text("That pocket could not be opened").first).to_be_visible()
    ui.wait("location.hash.includes(arg)", ui.live.id)
