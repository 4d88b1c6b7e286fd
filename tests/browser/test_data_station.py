"""The Data station as a user meets it: preview and repairs, recorded steps, cases held out, the next file."""

from __future__ import annotations

from pathlib import Path

import pytest
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.conftest import Page
from tests.conftest import DEMO


@pytest.fixture
def survey(tmp_path: Path) -> Path:
    """The demo survey as it might arrive: a line of text above, semicolons, a word among numbers, a name twice."""
    lines = (DEMO / "river_wardens.csv").read_text().splitlines()
    names = lines[0].split(",")
    names[names.index("mo3")] = "mo2"
    first = lines[1].split(",")
    first[names.index("tr2")] = "n/a"
    table = [names, first, *(line.split(",") for line in lines[2:])]
    path = tmp_path / "survey.csv"
    path.write_text("Volunteers of the river\n" + "\n".join(";".join(row) for row in table))
    return path


def test_a_messy_file_is_put_right_before_anything_is_stored(page: Page, survey: Path) -> None:
    """Every fault has a button, and the columns arrive as they were shown."""
    page.open("/")
    page.until(lambda: page.all("input[type=file]"))[0].send_keys(str(survey))
    rows = page.find("input[type=number]")
    rows.send_keys(Keys.CONTROL, "a")
    rows.send_keys("1")
    page.button("Number the names").click()
    page.button("Treat “n/a” as missing").click()
    table = page.find("table[aria-label='Columns as they will arrive']")
    page.until(lambda: "mo2_2" in table.text)
    page.until(lambda: page.button("Bring it in").is_enabled())
    page.find("input[placeholder='survey']").send_keys("Put right")
    page.button("Bring it in").click()
    page.until(lambda: "/data" in page.driver.current_url)
    page.until(lambda: "412 cases, 33 columns" in page.find("aside").text)
    assert "“n/a” in tr2" in page.find("[aria-label='Recorded steps']").text.replace("n/a in", "“n/a” in")
    assert page.errors() == []


def test_steps_change_the_model_and_can_be_switched_off(page: Page) -> None:
    """A recode, cases held out and taken back: the model follows, the trail says so, nothing is lost."""
    page.demo("River Wardens")
    before = page.named("estimated").text.split("·")[-1]
    assert "n = 349" in before
    page.find("a[href$='/data']").click()
    page.find("input[aria-label='Select su4']").click()
    page.button("Recode reversed").click()
    page.button("Record").click()
    steps = page.find("[aria-label='Recorded steps']")
    page.until(lambda: "su4 recoded the other way round (1 to 7)" in steps.text)
    page.find("a[href$='/model']").click()
    page.find("[data-card=Support]")
    page.until(
        lambda: "−.62" not in page.find("[data-card=Support]").text and ".62" in page.find("[data-card=Support]").text
    )
    page.find("[aria-label=Undo]").click()
    page.until(lambda: "before the last change" in page.named("earlier-data").text)
    page.button("Use the present data").click()
    page.until(lambda: not page.all("[data-testid='earlier-data']"))
    page.find("a[href$='/data']").click()
    page.tab("Screening")
    page.button("Hold these 7 out").click()
    page.until(lambda: "Held out:" in page.find("[aria-label=Findings]").text)
    page.until(lambda: "342" in page.named("estimated").text)
    page.tab("Cases")
    page.until(lambda: "7 held out" in page.find("main").text)
    page.tab("Columns")
    page.find("[aria-label='Recorded steps'] input[type=checkbox]").click()
    page.until(lambda: page.all("[aria-label='Recorded steps'] .line-through"))
    for _ in range(2):
        count = len(page.all("[aria-label='Recorded steps'] li"))
        out = page.until(lambda: next(e for e in page.all("[aria-label^='Take out']") if e.is_enabled()))
        page.driver.execute_script("arguments[0].click()", out)
        page.until(lambda count=count: len(page.all("[aria-label='Recorded steps'] li")) == count - 1)
    page.until(lambda: before in page.named("estimated").text)
    assert page.errors() == []


def test_estimation_is_switched_and_models_are_compared(page: Page) -> None:
    """Another estimator and full information by two clicks; a copy without a path stands beside the model with its test."""
    page.demo("River Wardens")
    page.until(lambda: page.paths())
    page.find("button[title='How the model is estimated']").click()
    boxes = page.all("[role=dialog] select")
    Select(boxes[2]).select_by_value("full-information")
    page.until(lambda: "n = 412" in page.named("estimated").text)
    page.until(lambda: "full information" in page.find("header").text)
    page.find("[aria-label=Undo]").click()
    page.until(lambda: "n = 349" in page.named("estimated").text)
    page.button("All parameters").click()
    table = page.find("table[aria-label=Parameters]")
    page.until(lambda: "fixed: carries the scale" in table.text)
    page.find("[aria-label='Select Training → tr2']").click()
    page.find("[aria-label='Select Training → tr3']").click()
    page.button("Are they equal?").click()
    page.until(lambda: "Wald" in page.find("[aria-label='Test of the selected parameters']").text)
    page.find("[aria-label=Close]").click()
    page.find("button[title='Models of this project']").click()
    page.find("[aria-label='Name of a model']").send_keys("No shortcut")
    page.button("Copy this model").click()
    page.until(lambda: "No shortcut" in page.find("header").text)
    page.named("path-Training-Persistence").click()
    page.button("Remove…").click()
    page.press("Remove")
    page.until(lambda: "Training-Persistence" not in page.paths())
    page.find("a[href$='/compare']").click()
    page.until(lambda: "Δχ² = 5.6" in page.find("[aria-label='Test of Model 1 and No shortcut']").text)
    assert "Yes: it fits better by more than chance" in page.find("[aria-label='Test of Model 1 and No shortcut']").text
    page.until(
        lambda: "leaves out the path Training → Persistence" in page.find("section[aria-labelledby=differs]").text
    )
    page.press("Add No shortcut as composites")
    page.until(lambda: "not of this family" in page.find("table[aria-label='Figures of the models']").text)
    page.until(lambda: "Consistent PLS corrects" in page.find("section[aria-labelledby=differs]").text)
    assert "not in it" in page.find("table[aria-label='Paths of the models']").text
    page.until(lambda: "Effort → Persistence" in page.find("table[aria-label='Every path at zero']").text)
    assert page.errors() == []


def test_a_table_of_a_paper_is_pasted(page: Page) -> None:
    """Correlations as they are printed, with means, SDs, reliabilities and stars, become a project without a file; an SD that the text
    of the paper corrects is typed beside them."""
    table = (
        "Variable\tM\tSD\t1\t2\t3\n1. Trust\t3.4\t.80\t(.84)\n2. Joy at work\t2.9\t1.10\t.45**\t(.79)\n"
        "3. Play\t4.0\t.95\t.30*\t−.20\t(.91)\nNote. N = 278. * p < .05. ** p < .01.\n"
    )
    page.open("/")
    page.button("Choose a file")
    page.driver.execute_script(
        "const data = new DataTransfer(); data.setData('text/plain', arguments[0]);"
        "document.body.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true }));",
        table,
    )
    page.until(lambda: "a matrix of 3 variables" in page.find("header").text)
    assert "taken for reliabilities" in page.find("[aria-label='Problems']").text
    columns = page.find("table[aria-label='Columns as they will arrive']")
    page.until(lambda: [
        cell.text for cell in columns.find_elements("css selector", "tbody tr:nth-child(2) > *") if cell.text
    ] == ["Joy at work", "number", "2.90", "1.10"])  # fmt: skip
    (sds,) = [field for field in page.all("label") if field.text == "Standard deviations"]
    sds.find_element("css selector", "input").send_keys("0.8, 1.25, 0.95")
    page.until(lambda: "1.25" in page.find("table[aria-label='Columns as they will arrive']").text)
    page.press("Bring it in")
    page.until(lambda: "/data" in page.driver.current_url)
    page.until(lambda: "278 × 3" in page.find("header").text)
    assert page.errors() == []


def test_a_matrix_is_recognised_and_asks_for_its_cases(page: Page, tmp_path: Path) -> None:
    """A square file was once six cases with nothing to put right; now it is a matrix, or cases if one says so."""
    path = tmp_path / "published.csv"
    path.write_text("wa1;wa2;wa3\n1;0,5;0,4\n0,5;1;0,3\n0,4;0,3;1\n")
    page.open("/")
    page.until(lambda: page.all("input[type=file]"))[0].send_keys(str(path))
    problems = page.find("[aria-label='Problems']")
    page.until(lambda: "How many cases are behind the matrix?" in problems.text)
    assert not page.button("Bring it in").is_enabled()
    page.button("They are cases").click()
    page.until(lambda: "3 cases, 3 columns" in page.find("header").text)
    page.find("[aria-label='How the file is read'] select").send_keys("a cov")
    page.until(lambda: "How many cases" in page.find("[aria-label='Problems']").text)
    page.find("input[placeholder='n']").send_keys("250", Keys.ENTER)
    page.press("Bring it in")
    page.until(lambda: "/data" in page.driver.current_url)
    page.until(lambda: "250 × 3" in page.find("header").text)
