"""Quality and the two families in the browser: the same model, looked at and put right."""

from __future__ import annotations

from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page


def at_quality(page: Page) -> None:
    page.demo("River Wardens")
    page.find("nav a[href$='/quality']").click()
    page.until(lambda: page.named("item-ef5"))


def family(page: Page, words: str) -> None:
    page.find("button[title='How the model is estimated']").click()
    page.press(words)
    page.until(lambda: page.find("[aria-label='Family of estimation'] [aria-pressed=true]").text == words)
    page.keys(Keys.ESCAPE)


def test_a_weak_item_is_found_looked_at_and_set_aside(page: Page) -> None:
    """From the sorted table to the item, its wording, the change and back: nobody removes one and looks again."""
    at_quality(page)
    page.until(lambda: page.named("what-if-ef5"))
    table = page.find("table[aria-label='What if one were set aside']")
    heads = [head.text for head in table.find_elements("css selector", "thead th")]
    assert heads == ["item", "CFI", "RMSEA", "composite reliability", "AVE ▾"]
    first = table.find_element("css selector", "tbody tr th")
    assert first.text == "ef5"
    page.named("what-if-ef5").click()
    page.until(lambda: page.named("item-ef5").get_attribute("aria-pressed") == "true")
    assert page.named("item-ef5").get_attribute("aria-pressed") == "true"
    box = page.named("chosen-item")
    page.until(lambda: "AVE of Efficacy .47" in box.text)
    assert "Read the wording before the figures" in box.text
    page.press("Set ef5 aside…")
    page.until(lambda: page.find("[aria-label=Reason]"))
    page.keys("asks about tools", Keys.ENTER)
    page.until(lambda: not page.all("[data-testid='item-ef5']"))
    page.until(lambda: "1 change so far came from these data" in page.named("caution").text)
    page.find("[aria-label=Undo]").click()
    page.until(lambda: page.named("item-ef5"))
    assert page.errors() == []


def test_constructs_are_apart_in_three_ways(page: Page) -> None:
    """One triangle, seen as HTMT, as Fornell and Larcker have it, and item by item."""
    at_quality(page)
    cell = page.find("table[aria-label=HTMT] button[title^='Stewardship with Efficacy']")
    assert cell.text == ".60"
    assert "HTMT2" in (cell.get_attribute("title") or "")
    page.press("Fornell–Larcker")
    rows = page.find("table[aria-label='Fornell–Larcker']").text.splitlines()
    assert len(rows) == 6
    page.press("cross-loadings")
    assert len(page.all("table[aria-label='Cross-loadings'] tbody tr")) == 24
    page.press("HTMT")
    assert "Support on all" not in page.find("table[aria-label=VIF]").text
    assert len(page.all("table[aria-label=VIF] tbody tr")) == 10


def test_one_model_in_two_families(page: Page) -> None:
    """Switched in the top line, the board, the readout, Quality and Effects follow; undo brings the other back."""
    page.demo("River Wardens")
    before = page.paths()
    family(page, "composites")
    page.until(lambda: "consistent PLS" in page.find("header").text)
    page.until(lambda: page.paths() != before)
    assert set(page.paths()) == set(before)
    page.until(lambda: page.named("readout-srmr"))
    assert "R² Persistence" in page.find("[aria-label='Key figures']").text
    page.named("path-Efficacy-Stewardship").click()
    page.until(lambda: "no interval without a bootstrap" in page.lens())
    assert "Hold at" not in page.lens()
    page.find("nav a[href$='/quality']").click()
    page.until(lambda: "rho_A" in page.find("section[aria-labelledby=shown]").text)
    page.until(lambda: "SRMR" in page.find("table[aria-label='What if one were set aside']").text)
    page.find("nav a[href$='/effects']").click()
    page.find("[data-testid=bootstrap]").click()
    page.until(lambda: "From 5,000 resamples" in page.driver.page_source, 90)
    page.find("nav a[href$='/model']").click()
    page.until(lambda: "[" in page.paths()["Efficacy-Stewardship"])
    page.keys("p")
    page.tab("Fit")
    page.until(lambda: "stay below these" in page.find("[role=dialog]").text)
    page.find("[aria-label=Close]").click()
    page.find("nav a[href$='/compare']").click()
    page.until(lambda: "not of this family" in page.find("table[aria-label='Figures of the models']").text)
    assert page.all("[aria-label='Every path at zero']") == [], "composites have no χ² to take a difference of"
    page.find("nav a[href$='/report']").click()
    fit = "[role=group][aria-label='fit, below'] button"
    page.until(lambda: page.all(fit))
    assert [button.text for button in page.all(fit)] == ["SRMR", "d_ULS", "d_G"]
    page.all(fit)[2].click()
    page.until(lambda: "Fit: d_G = " in page.find("[aria-label='The page']").text)
    page.find("[aria-label=Undo]").click()
    page.until(lambda: "CFI" in [button.text for button in page.all(fit)])
    next(button for button in page.all(fit) if button.text == "CFI").click()
    page.until(lambda: "Fit: CFI = " in page.find("[aria-label='The page']").text)
    page.find("[aria-label=Redo]").click()  # what was chosen for the one family is not lost by choosing for the other
    page.until(lambda: "Fit: d_G = " in page.find("[aria-label='The page']").text)
    page.find("[aria-label=Undo]").click()
    page.find("nav a[href$='/model']").click()
    # Quick resamples follow a gesture by themselves, so intervals may be there at either time, or not yet.
    estimates = {key: words.partition("[")[0] for key, words in before.items()}
    page.until(lambda: {key: words.partition("[")[0] for key, words in page.paths().items()} == estimates)
    assert page.errors() == []


def test_cures_show_what_they_would_do_first(page: Page) -> None:
    """A reversed item is recoded where it is seen; two constructs are merged after a look at what that gives."""
    at_quality(page)
    page.until(lambda: page.named("common-method").text.startswith("One factor behind all 21 items"))
    shown = page.find("section[aria-labelledby=shown]")
    page.until(lambda: "su4 runs against the others" in shown.text)
    page.press("Recode su4 (1 to 7)")
    page.until(lambda: "su4 runs against the others" not in page.find("section[aria-labelledby=shown]").text, 30)
    page.find("nav a[href$='/data']").click()
    page.until(lambda: "su4" in page.find("[aria-label='Recorded steps']").text)
    page.find("nav a[href$='/quality']").click()
    page.press("Merge the two…")
    dialog = page.find("[role=dialog]")
    page.until(lambda: "CFI" in dialog.text)
    assert "Merge Stewardship into Efficacy?" in dialog.text or "Merge Efficacy into Stewardship?" in dialog.text
    page.press("Leave it")
    page.press("Take Stewardship out…")
    page.until(lambda: "Remove Stewardship?" in page.find("[role=dialog]").text)
    page.press("Leave it")
    assert page.errors() == []


def test_cut_offs_are_one_s_own_choice(page: Page) -> None:
    """A preset, or a number of one's own: verdicts follow at once, and say whose they are."""
    at_quality(page)
    page.until(lambda: page.find("section[aria-labelledby=shown] [aria-label='meets the criterion']"))
    count = len(page.all("section[aria-labelledby=shown] li [aria-label=borderline]"))
    page.press("Change…")
    page.press("strict")
    page.until(lambda: "follows strict cut-offs" in page.find("[role=dialog]").text)
    field = page.find("[aria-label='loading: good']")
    field.clear()
    field.send_keys("0.8", Keys.ENTER)
    page.until(lambda: "your own cut-off" in page.find("table[aria-label='Cut-offs']").text)
    page.press("Close")
    page.until(lambda: len(page.all("section[aria-labelledby=shown] li [aria-label=borderline]")) > count)
    page.until(lambda: "strict cut-offs, 1 of them your own" in page.find("main").text)
    page.press("Change…")
    page.press("Back to the preset")
    page.press("usual")
    page.until(lambda: "follows the usual cut-offs." in page.find("[role=dialog]").text)
    page.press("Close")
    assert page.errors() == []


def test_figures_of_the_readout_are_chosen(page: Page) -> None:
    """One more and one less, kept over a reload, and back to what they were."""
    page.demo("River Wardens")
    page.find("button[title='Choose the figures that stand here']").click()
    page.until(lambda: next(e for e in page.all("[role=dialog] label") if e.text == "GFI")).click()
    page.named("readout-gfi")
    page.until(lambda: next(e for e in page.all("[role=dialog] label") if e.text == "TLI")).click()
    page.until(lambda: not page.all("[data-testid=readout-tli]"))
    page.driver.refresh()
    page.named("readout-gfi")
    assert not page.all("[data-testid=readout-tli]")
    page.find("button[title='Choose the figures that stand here']").click()
    page.press("As they were")
    page.named("readout-tli")
    page.until(lambda: not page.all("[data-testid=readout-gfi]"))
    assert page.errors() == []
