"""Take the pictures in docs/screenshots from the demo film: `make screenshots` with Yaila running on its usual port."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

from tests.chromium import launching

OUT = Path(__file__).parents[1] / "docs" / "screenshots"


def take(page: Page, name: str) -> None:
    """Wait until the picture at rest has come, then save the page."""
    page.mouse.move(640, 55)
    page.wait_for_timeout(3500)
    page.screenshot(path=str(OUT / f"{name}.png"))


def main() -> None:
    """Go through the steps."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(**launching())
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto("http://127.0.0.1:8471/#/films/night-post")
        page.get_by_role("button", name="Fly").wait_for()
        page.wait_for_timeout(3000)
        for _ in range(5):
            page.keyboard.press("ArrowDown")
        take(page, "fly")
        page.get_by_role("checkbox", name="Section").check(force=True)
        page.get_by_role("radio", name="Extras").click()
        take(page, "section")
        page.get_by_role("checkbox", name="Section").uncheck(force=True)
        page.get_by_role("radio", name="Recipes").click()
        page.get_by_role("radio", name="Island hops").click()
        for name in ("Marrowick", "Tolvane", "Quillhaven"):
            page.get_by_label("Add a place").fill(name)
            page.locator(".hit", has_text=name).first.click()
        take(page, "recipes")
        page.get_by_role("button", name="Mark").click()
        page.locator(".details .pick", has_text="Keeper").click()
        take(page, "mark")
        page.keyboard.press("Escape")
        page.locator(".details .pick", has=page.get_by_text("The light", exact=True)).click()
        page.locator(".profile g.stop").nth(1).click()
        take(page, "changes")
        page.keyboard.press("Escape")
        page.get_by_role("navigation", name="Steps").get_by_role("button", name="Finish").click()
        page.keyboard.press("Home")
        for _ in range(3):
            page.keyboard.press("ArrowDown")
        for _ in range(2):
            page.keyboard.press("Shift+ArrowRight")
        take(page, "finish")
        page.locator("button.face", has_text="Look").click()
        page.keyboard.press("s")
        page.get_by_label("What is shown here").select_option("waveform")
        # Each look's small picture is drawn while nothing else is.
        expect(page.locator(".swatches img").first).to_be_visible(timeout=120_000)
        expect(page.locator(".swatches i")).to_have_count(0, timeout=120_000)
        take(page, "looks")
        page.keyboard.press("s")
        page.get_by_label("What is shown here").select_option("section")
        page.get_by_role("navigation", name="Steps").get_by_role("button", name="Sound").click()
        page.get_by_role("button", name="Sea", exact=True).click(position={"x": 300, "y": 20})
        page.wait_for_timeout(6000)
        take(page, "sound")
        page.get_by_role("button", name="Gather").click()
        page.get_by_role("button", name="Make a plan").click()
        take(page, "gather")
        page.get_by_role("button", name="Fit").click()
        page.get_by_role("button", name="Marrowick town").click()
        page.get_by_title("Show on the chart").click()
        page.get_by_role("radio", name="Wipe").click()
        page.get_by_role("radio", name="Tone").click()
        take(page, "fit")
        page.get_by_role("radio", name="Laid").click()
        page.get_by_title("The checks of the whole film").click()
        take(page, "soundings")
        page.get_by_label("Put away").click()
        page.get_by_role("button", name="Render").first.click()
        take(page, "render")
        page.locator("button.film").click()
        page.locator(".shelf .picture img").first.wait_for()
        take(page, "shelf")
        browser.close()


if __name__ == "__main__":
    main()
