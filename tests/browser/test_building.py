"""The model station as people use it: by mouse, by keys, by sentences; the trail, groups, covariances, measurement first."""

from __future__ import annotations

import json
import urllib.request
from typing import Any

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from tests.browser.conftest import Page
from tests.conftest import DEMO

STEMS = ("tr", "su", "ef", "st", "pe", "eo")
PATHS = (("Tr", "Ef"), ("Su", "Ef"), ("Ef", "St"), ("Su", "St"), ("St", "Pe"), ("Tr", "Pe"), ("Eo", "Pe"))


def ask(page: Page, address: str) -> Any:
    with urllib.request.urlopen(page.site + address) as answer:
        return json.loads(answer.read())


def fresh(page: Page) -> None:
    """A new project with the survey and an empty board."""
    page.open("/")
    page.until(lambda: page.all("input[type=file]"))[0].send_keys(str(DEMO / "river_wardens.csv"))
    page.press("Bring it in")
    page.until(lambda: "/data" in page.driver.current_url)
    page.find("nav a[href$='/model']").click()
    page.until(lambda: page.all("[data-testid=block-tr]"))


def model_of(page: Page) -> dict[str, Any]:
    project = ask(page, f"/api/projects/{page.driver.current_url.split('/projects/')[1].split('/')[0]}")
    found: dict[str, Any] = ask(page, f"/api/models/{project['models'][0]['id']}")
    return found


def held(page: Page, *keys: str, by: str = Keys.CONTROL) -> None:
    """Keys pressed while another is held."""
    chain = ActionChains(page.driver).key_down(by)
    for key in keys:
        chain.send_keys(key)
    chain.key_up(by).perform()


def found(page: Page, words: str) -> None:
    """Something reached by its name, with keys alone."""
    held(page, "k")
    page.until(lambda: page.driver.switch_to.active_element.get_attribute("role") == "combobox")
    page.keys(words)
    page.until(lambda: page.all("[role=option][aria-selected=true]"))
    page.keys(Keys.ENTER)
    page.until(lambda: not page.all("[role=listbox][aria-label='What was found']"))


def focused(page: Page, label: str) -> bool:
    return bool(page.driver.switch_to.active_element.get_attribute("aria-label") == label)


def by_mouse(page: Page) -> None:
    board = page.find("[aria-label=Board]")
    for number, stem in enumerate(STEMS, start=1):
        page.drag(page.named(f"block-{stem}"), board, 340, 240)
        page.press("Make it")
        page.until(lambda n=number: len(page.cards()) == n)
    page.find("[aria-label='Construct Eo']").click()
    page.press("Make formative")
    page.until(lambda: model_of(page)["constructs"][5]["mode"] == "formative")
    for number, (source, target) in enumerate(PATHS, start=1):
        page.until(lambda: page.named("saved").text == "Saved")
        page.press("Whole model")
        handle = page.find(f"[data-card={source}] .react-flow__handle-right")
        card = page.find(f"[data-card={target}]")
        chain = ActionChains(page.driver).click_and_hold(handle).move_by_offset(12, 6)
        chain.move_to_element(card).pause(0.15).release().perform()
        page.until(lambda n=number: len(page.paths()) == n)


def by_keys(page: Page) -> None:
    page.driver.execute_script("document.activeElement.blur()")
    for _ in range(40):
        page.keys(Keys.TAB)
        if page.driver.switch_to.active_element.get_attribute("data-row"):
            break
    for number, _ in enumerate(STEMS, start=1):
        # blocks that are used go to the end of the shelf, so that the next free one is the first again
        page.keys(Keys.HOME)
        row = page.driver.switch_to.active_element.get_attribute("data-row") or ""
        page.keys(*[Keys.ARROW_DOWN] * (1 if row == "block mo" else 0), Keys.ENTER)
        page.until(lambda: focused(page, "Name of the construct"))
        page.keys(Keys.ENTER)
        page.until(lambda n=number: len(page.cards()) == n)
        for _ in range(30):
            held(page, Keys.TAB, by=Keys.SHIFT)
            if page.driver.switch_to.active_element.get_attribute("data-row"):
                break
    found(page, "eo")
    page.until(lambda: focused(page, "Construct Eo"))
    found(page, "make eo form")
    page.until(lambda: model_of(page)["constructs"][5]["mode"] == "formative")
    for number, (source, target) in enumerate(PATHS, start=1):
        found(page, source)
        page.until(lambda s=source: focused(page, f"Construct {s}"))
        page.keys(Keys.ARROW_RIGHT)
        page.until(lambda s=source: focused(page, f"Target of a path from {s}"))
        page.keys(target, Keys.ENTER)
        page.until(lambda n=number: len(page.paths()) == n)


def by_sentences(page: Page) -> None:
    page.driver.execute_script("document.activeElement.blur()")
    page.keys("s")
    page.until(lambda: focused(page, "Sentences of the model"))
    ends = {"tr": 4, "su": 4, "ef": 5, "st": 4, "pe": 4}
    lines = [f"{stem.title()} shows in {stem}1..{stem}{last}" for stem, last in ends.items()]
    lines += ["Eo is made of eo1, eo2, eo3", *(f"{a} leads to {b}" for a, b in PATHS)]
    for line in lines:
        page.keys(line, Keys.ENTER)
    page.until(lambda: len(page.paths()) == 7 and len(page.cards()) == 6)


def test_three_ways_to_one_model(page: Page) -> None:
    """Whoever cannot use a mouse, or does not want to write, gets the same document to the last digit."""
    documents = []
    for build in (by_mouse, by_keys, by_sentences):
        fresh(page)
        build(page)
        page.until(lambda: "281.9" in page.named("readout-chi_square").text)
        document = ask(page, f"/api/models/{model_of(page)['id']}/results.json")
        assert document["fit"]["df"] == 236
        documents.append(document)
    assert documents[0] == documents[1] == documents[2]
    assert page.errors() == []


def shift_click(page: Page, *elements: Any) -> None:
    chain = ActionChains(page.driver)
    for number, element in enumerate(elements):
        chain.click(element)
        if number == 0:
            chain.key_down(Keys.SHIFT)
    chain.key_up(Keys.SHIFT).perform()


def test_the_trail_remembers_and_leads_back(page: Page) -> None:
    """What was removed and why stands there; going back keeps what came after, as a branch once something else is done."""
    fresh(page)
    by_sentences(page)
    page.find("[aria-label='Close the sentences']").click()
    page.named("path-Tr-Pe").click()
    page.keys(Keys.DELETE)
    page.find("[aria-label=Reason]").send_keys("no theory for it", Keys.ENTER)
    page.until(lambda: "Tr-Pe" not in page.paths())
    page.keys("t")
    trail = page.find("[aria-label=Trail]")
    page.until(lambda: "“no theory for it”" in page.find("[aria-label=Revision]").text)
    assert "path Tr → Pe removed" in page.find("[aria-label=Revision]").text
    page.until(lambda: "Δχ² = 5.6, Δdf = 1" in page.find("[aria-label=Revision]").text)
    dots = page.all("[data-testid^=revision-]")
    ActionChains(page.driver).move_to_element(dots[-2]).perform()
    page.until(lambda: "Eo leads to Pe" in page.find("[aria-label=Revision]").text)
    page.press("Go back here")
    page.until(lambda: "Tr-Pe" in page.paths())
    page.named("row-ef5").click()
    page.keys("a")
    page.find("[aria-label=Reason]").send_keys("asks about tools", Keys.ENTER)
    page.until(lambda: "one branch" in trail.text)
    page.until(lambda: "ef5 from Ef" in page.find("[aria-label='What was removed, and why']").text)
    assert "“asks about tools”" in page.find("[aria-label='What was removed, and why']").text
    found = ask(page, f"/api/models/{model_of(page)['id']}/trail")
    assert len({line["parent"] for line in found["revisions"]}) == len(found["revisions"]) - 1, "two have one parent"
    page.keys("[")
    page.until(lambda: "ef5 from Ef" not in page.find("[aria-label='What was removed, and why']").text)
    page.find("[aria-label^='Name of the revision']").click()
    page.find("input[aria-label='Name of the revision']").send_keys("as registered", Keys.ENTER)
    page.until(lambda: "as registered" in trail.text)
    page.keys("t")
    assert page.errors() == []


def test_covariances_are_drawn_by_hand_and_by_key(page: Page) -> None:
    """Any two that can covary can be made to, with what it would do before it is done; and it can be seen and removed."""
    page.demo("River Wardens")
    page.named("row-st1").click()
    page.keys("c")
    page.until(lambda: focused(page, "What st1 covaries with"))
    page.keys("st2", Keys.ENTER)
    page.until(lambda: "Δχ²" in page.find("[role=dialog]").text)
    page.keys("nearly the same wording", Keys.ENTER)
    arc = page.named("covariance-st1-st2")
    assert "covariance of residuals" in page.lens()
    page.until(lambda: arc.text not in ("", "–"))
    state = ask(page, "/api/models/2")
    assert state["revision"]["reason"] == "nearly the same wording"
    handle = page.find("[data-card=Efficacy] .react-flow__handle-bottom")
    target = page.find("[data-card=Persistence]")
    ActionChains(page.driver).click_and_hold(handle).move_by_offset(20, 12).move_to_element(target).pause(
        0.2
    ).release().perform()
    page.until(lambda: "Let Efficacy and Persistence covary?" in page.find("[role=dialog]").text)
    page.keys(Keys.ESCAPE)
    page.until(lambda: not page.all("[role=dialog]"))
    page.named("covariance-st1-st2").click()
    page.press("Remove…")
    page.press("Remove")
    page.until(lambda: not page.all("[data-testid=covariance-st1-st2]"))
    page.keys("v")
    page.named("covariance-Support-Training")
    page.keys("v")
    page.until(lambda: not page.all("[data-testid=covariance-Support-Training]"))
    for _ in range(2):
        page.find("[aria-label=Undo]").click()
    page.until(lambda: ask(page, "/api/models/2")["revision"]["words"] != state["revision"]["words"])
    assert page.errors() == []


def test_several_things_at_once(page: Page) -> None:
    """Loadings held equal, two constructs gathered under a third: selected together with Shift, and undone again."""
    page.demo("River Wardens")
    df = lambda: page.named("readout-chi_square").text  # noqa: E731
    page.until(lambda: "(236)" in df())
    shift_click(page, *(page.named(f"row-tr{i}") for i in (2, 3, 4)))
    page.press("Hold equal")
    page.until(lambda: "(238)" in df())
    assert "=a" in page.named("row-tr2").text.replace("\n", "")
    page.press("Release")
    page.until(lambda: "(236)" in df())
    shift_click(page, page.find("[aria-label='Construct Training']"), page.find("[aria-label='Construct Support']"))
    page.press("Gather under one…")
    page.find("input[aria-label='Name of the construct']").send_keys("Resources", Keys.ENTER)
    page.until(lambda: "Resources" in page.cards())
    for _ in range(3):
        page.find("[aria-label=Undo]").click()
        page.until(lambda: page.named("saved").text == "Saved")
    page.until(lambda: "Resources" not in page.cards() and "=a" not in page.named("row-tr2").text)
    page.find("[aria-label='Construct Effort']").click()
    page.keys("f")
    page.until(lambda: not page.all("[data-testid=row-eo1]") or page.find("[data-card=Effort]").rect["height"] > 0)
    page.keys("f")
    page.until(lambda: page.all("[data-testid=row-eo1]"))


def test_text_and_board_show_one_model(page: Page) -> None:
    """A slip stays beside what reads, over a reload too; the button mends it; board and text share changes and undo."""
    fresh(page)
    page.keys("s")
    page.until(lambda: focused(page, "Sentences of the model"))
    for line in ("Tr shows in tr1..tr4", "Ef shows in ef1..ef4", "Tr leads to Eff"):
        page.keys(line, Keys.ENTER)
    page.until(lambda: "2 of 3 statements read" in page.named("sentences-read").text)
    page.until(lambda: set(page.cards()) == {"Tr", "Ef"})
    assert "No construct or column “Eff”" in page.find(".cm-fault").text
    page.driver.refresh()
    page.until(lambda: page.cards())
    page.keys("s")
    page.until(lambda: "Tr leads to Eff" in page.find(".cm-content").text)
    page.press("Write Ef")
    held(page, Keys.ENTER)
    page.until(lambda: "Tr-Ef" in page.paths())
    page.find("[aria-label='Construct Ef']").click()
    page.keys(Keys.F2)
    page.find("input[aria-label='New name of Ef']").send_keys("Efficacy", Keys.ENTER)
    page.until(lambda: "Tr leads to Efficacy" in page.find(".cm-content").text)
    page.find(".cm-content").click()
    held(page, "z")
    page.until(lambda: "Tr leads to Ef\n" in page.find(".cm-content").text + "\n")
    page.until(lambda: "Tr-Ef" in page.paths())
    page.find("[aria-label='Close the sentences']").click()
    assert page.errors() == []


def test_the_foot_leads_to_why_nothing_is_estimated(page: Page) -> None:
    """From any station: the board comes, with nothing selected and nothing in front of it, and the lens tells the reason."""
    fresh(page)
    page.keys("s")
    page.until(lambda: focused(page, "Sentences of the model"))
    page.keys("Tr shows in tr1, tr2", Keys.ENTER)
    page.until(lambda: page.cards())
    page.until(lambda: "Not estimated: see why" in page.named("estimated").text)
    page.find("a[href$='/quality']").click()
    page.until(lambda: "/quality" in page.driver.current_url)
    page.named("estimated").find_element("css selector", "a").click()
    page.until(lambda: "/model" in page.driver.current_url)
    page.until(lambda: "The model asks for" in page.find("[aria-label='Lens']").text)
    assert not page.all("[aria-label='Sentences of the model']")
    assert page.errors() == []


def test_two_windows_and_a_reload_in_mid_gesture(page: Page) -> None:
    """What one window did the other learns; a gesture that a reload cuts short is either done or not, never half."""
    fresh(page)
    by_sentences(page)
    page.find("[aria-label='Close the sentences']").click()
    first = page.driver.current_window_handle
    address = page.driver.current_url
    page.driver.switch_to.new_window("tab")
    page.driver.get(address)
    page.until(lambda: len(page.paths()) == 7)
    page.named("path-Tr-Pe").click()
    page.keys(Keys.DELETE)
    page.until(lambda: focused(page, "Reason"))
    page.keys(Keys.ENTER)
    page.until(lambda: len(page.paths()) == 6)
    page.driver.close()
    page.driver.switch_to.window(first)
    assert len(page.paths()) == 7, "this window has not been told yet"
    page.named("path-Eo-Pe").click()
    page.keys(Keys.DELETE)
    page.until(lambda: focused(page, "Reason"))
    page.keys(Keys.ENTER)
    page.until(lambda: "changed elsewhere" in page.find("footer [role=alert]").text)
    page.until(lambda: len(page.paths()) == 6)
    assert "Eo-Pe" in page.paths()
    page.find("[aria-label='Construct Eo']").click()
    page.press("Make reflective")
    page.driver.refresh()
    page.until(lambda: page.cards())
    mode = model_of(page)["constructs"][5]["mode"]
    assert mode in ("formative", "reflective")
    page.until(lambda: ("made of · weights" in page.find("[data-card=Eo]").text) == (mode == "formative"))


def touched(page: Page, what: Any, onto: Any) -> None:
    """A finger that rests on something, takes it along and is lifted."""

    def send(kind: str, *points: dict[str, float]) -> None:
        page.driver.execute_cdp_cmd("Input.dispatchTouchEvent", {"type": kind, "touchPoints": list(points)})

    begin, end = (
        {"x": box["x"] + box["width"] / 2, "y": box["y"] + box["height"] / 2} for box in (what.rect, onto.rect)
    )
    send("touchStart", begin)
    page.driver.execute_async_script("setTimeout(arguments[0], 400)")
    for share in (0.3, 0.7, 1.0):
        send("touchMove", {axis: begin[axis] + share * (end[axis] - begin[axis]) for axis in begin})
        page.driver.execute_async_script("requestAnimationFrame(() => requestAnimationFrame(arguments[0]))")
    send("touchEnd")


def test_items_and_columns_are_carried_by_mouse_and_by_finger(page: Page) -> None:
    """An item goes to another card or another place on its own, columns from the shelf to a card or to the free board."""
    page.demo("River Wardens")
    items = lambda name: next(c["indicators"] for c in ask(page, "/api/models/2")["constructs"] if c["name"] == name)  # noqa: E731
    page.drag(page.named("row-ef5"), page.named("row-ef2"))
    page.until(lambda: items("Efficacy") == ["ef1", "ef5", "ef2", "ef3", "ef4"])
    page.until(lambda: page.named("saved").text == "Saved")
    page.drag(page.named("row-ef5"), page.find("[aria-label='Construct Stewardship']"))
    page.until(lambda: "ef5" in items("Stewardship") and "ef5" not in items("Efficacy"))
    page.until(lambda: page.named("saved").text == "Saved" and page.still())
    touched(page, page.named("block-mo"), page.find("[aria-label='Construct Training']"))
    page.until(lambda: {"mo1", "mo2", "mo3"} <= set(items("Training")))
    for _ in range(3):
        page.until(lambda: page.named("saved").text == "Saved")
        page.find("[aria-label=Undo]").click()
    page.until(lambda: "mo1" not in items("Training") and "ef5" in items("Efficacy"))
    touched(page, page.named("block-mo"), page.find("[aria-label=Board]"))
    page.until(lambda: focused(page, "Name of the construct"))
    page.keys(Keys.ESCAPE)
    assert page.errors() == []


def test_a_moved_card_can_be_undone_and_keys_changed(page: Page) -> None:
    """Undo takes back what was done last, a move too; whoever has another habit gives an action another key."""
    page.demo("River Wardens")
    place = lambda: page.find("[data-card=Effort]").rect["x"]  # noqa: E731
    before = place()
    name = page.find("[aria-label='Construct Effort']")
    ActionChains(page.driver).click_and_hold(name).move_by_offset(60, 20).move_by_offset(30, 10).release().perform()
    page.until(lambda: place() > before + 20)
    words = ask(page, "/api/models/2")["revision"]["id"]
    page.find("[aria-label=Undo]").click()
    page.until(lambda: abs(place() - before) < 4)
    assert ask(page, "/api/models/2")["revision"]["id"] == words, "no revision was undone"
    page.driver.execute_script("document.activeElement.blur()")
    page.keys("?")
    page.press("Change keys…")
    page.find("button[aria-label^='Key for “trail”']").click()
    page.keys("y")
    page.until(lambda: page.find("button[aria-label^='Key for “trail”']").text == "Y")
    page.keys(Keys.ESCAPE)
    page.until(lambda: not page.all("[role=dialog]"))
    page.driver.execute_script("document.activeElement.blur()")
    page.keys("t")
    assert not page.all("[aria-label='Index drawn as the line']")
    page.keys("y")
    page.find("[aria-label='Index drawn as the line']")
    page.keys("y")
    page.driver.execute_script("localStorage.removeItem('dusk-arrow-keys')")
    page.keys("g", "e")
    page.until(lambda: "/effects" in page.driver.current_url)


def test_shapes_and_proposals_build_a_mediation(page: Page) -> None:
    """From names to constructs and from a shape to paths, each in one step that can be undone."""
    fresh(page)
    page.press("Help me begin…")
    page.until(lambda: "su4 runs against the others" in page.find("[role=dialog]").text)
    for stem in ("st", "pe", "eo", "mo"):
        page.find(f"[aria-label='Take {stem}']").click()
    field = page.find("[aria-label='Name of the construct of tr']")
    field.clear()
    field.send_keys("Training")
    page.press("Make these 3 constructs")
    page.until(lambda: set(page.cards()) == {"Training", "Su", "Ef"})
    page.press("Add the paths…")
    for role, who in (("Who begins?", "Training"), ("Through whom?", "Su"), ("Where does it lead?", "Ef")):
        page.find(f"select[aria-label='{role}']").send_keys(who)
    page.press("Draw these 3 paths")
    page.until(lambda: set(page.paths()) == {"Training-Su", "Su-Ef", "Training-Ef"})
    page.press("Measurement")
    page.until(lambda: not page.paths() and page.all("[data-testid^=covariance-]"))
    page.press("Structure")
    page.until(lambda: len(page.paths()) == 3)
    page.find("[aria-label=Undo]").click()
    page.find("[aria-label=Undo]").click()
    page.until(lambda: page.paths())
    page.find("[aria-label=Undo]").click()
    page.until(lambda: not page.paths() and len(page.cards()) == 3)
    assert page.errors() == []


def test_edits_in_any_order_are_what_their_trail_says(page: Page) -> None:
    """Buttons and keys in any order, undo and redo among them: the board shows the model that the trail ends in."""
    import numpy as np

    fresh(page)
    by_sentences(page)
    page.find("[aria-label='Close the sentences']").click()
    rng = np.random.default_rng(11)
    settled = lambda: page.until(lambda: page.named("saved").text == "Saved")  # noqa: E731
    for _ in range(14):
        way = rng.integers(6)
        names = page.cards()
        rows = [e.get_attribute("data-testid") or "" for e in page.all("[data-testid^=row-]")]
        if way == 0 and rows:
            page.focus(f"[data-testid='{rng.choice(rows)}']")
            page.keys("e")
        elif way == 1 and rows:
            row = str(rng.choice(rows))
            page.focus(f"[data-testid='{row}']")
            used = any(row == f"row-{one}" for c in model_of(page)["constructs"] for one in c["indicators"])
            page.keys("a")
            if used:
                page.until(lambda: focused(page, "Reason"))
                page.keys(Keys.ENTER)
        elif way == 2:
            page.find("[aria-label=Undo]").click()
        elif way == 3 and page.find("[aria-label=Redo]").is_enabled():
            page.find("[aria-label=Redo]").click()
        elif way == 4 and page.paths():
            page.focus(f"[data-testid='path-{rng.choice(list(page.paths()))}']")
            page.keys(Keys.DELETE)
            page.until(lambda: focused(page, "Reason"))
            page.keys(Keys.ENTER)
        elif names:
            page.focus(f"[aria-label='Construct {rng.choice(names)}']")
            page.keys(Keys.ARROW_RIGHT)
            page.until(lambda: page.all("[role=dialog]"))
            if page.all("[role=dialog] [role=option]"):
                page.keys(Keys.ENTER)
            else:
                page.keys(Keys.ESCAPE)
        settled()
        page.until(lambda: not page.all("[role=dialog]"))
    state = model_of(page)
    assert set(page.cards()) == {c["name"] for c in state["constructs"]} | set(state["observed"])
    assert set(page.paths()) == {f"{p['source']}-{p['target']}" for p in state["paths"]}
    found = ask(page, f"/api/models/{state['id']}/trail")
    assert found["head"] == state["revision"]["id"]
    page.driver.refresh()
    page.until(lambda: set(page.paths()) == {f"{p['source']}-{p['target']}" for p in state["paths"]})
    assert page.errors() == []
