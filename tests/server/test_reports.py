"""Reports over HTTP: what is chosen is kept, shown and saved, and what cannot be made is refused in words."""

from __future__ import annotations

import json
from typing import Any

import pytest
from flask.testing import FlaskClient

from dusk_arrow.figure.formats.registry import FORMATS as FIGURES
from dusk_arrow.records.database import Sessions
from dusk_arrow.records.earlier import view_and_report
from dusk_arrow.records.tables import ModelRow
from dusk_arrow.report.formats.registry import FORMATS
from dusk_arrow.report.tables.registry import TABLES
from tests.server.test_api import THEORY, change, model  # noqa: F401


@pytest.fixture
def address(client: FlaskClient, model: dict[str, Any]) -> str:  # noqa: F811
    change(client, model, THEORY)
    return f"/api/models/{model['id']}"


def keep(client: FlaskClient, address: str, report: dict[str, Any]) -> None:
    assert client.patch(f"{address}/report-choices", json=report).status_code == 200


def test_a_figure_is_drawn_as_it_was_chosen(client: FlaskClient, address: str) -> None:
    """What the Report station shows is what is kept and saved, in every format; choices that make no sense are refused."""
    for ending in FIGURES:
        assert client.get(f"{address}/figure.{ending}").status_code == 200, ending
    assert client.get(f"{address}/figure.png").get_data()[1:4] == b"PNG"
    stars = {"beside": "stars"}
    asked = client.get(f"{address}/figure.svg", query_string={"options": json.dumps(stars)}).get_data(as_text=True)
    assert "***" in asked
    assert "***" not in client.get(f"{address}/figure.svg").get_data(as_text=True)
    path = client.get(address).get_json()["paths"][0]
    pair = {"source": path["source"], "outcome": path["target"]}
    figures = {
        "figure": {"options": stars},
        "one": {"kind": "mediation", **pair},
        "none": {"kind": "mediation", "source": path["target"], "outcome": path["source"]},
    }
    keep(client, address, {"figures": figures})
    assert client.get(f"{address}/figure.svg").get_data(as_text=True) == asked
    one = client.get(f"{address}/figure.svg", query_string={"key": "one"}).get_data(as_text=True)
    assert f"{path['source']} on {path['target']}" in one
    for wrong in (
        {"options": "{"},
        {"options": '{"beside": "colours"}'},
        {"key": "none"},
        {"dots": 1200, "options": '{"width": 400}'},
    ):
        answer = client.get(f"{address}/figure.png", query_string=wrong)
        assert (answer.status_code, bool(answer.get_json()["title"])) == (422, True), wrong
    assert client.get(f"{address}/figure.svg", query_string={"key": "unknown"}).status_code == 404
    assert client.get(f"{address}/figure.bmp").status_code in (404, 422)


def test_the_report_is_shown_as_it_is_saved(client: FlaskClient, address: str) -> None:
    """The page on screen and the document are one report: parts, order, titles, edited words."""
    shown = client.get(f"{address}/report").get_json()
    kinds = {block["key"]: block for block in shown["blocks"]}
    assert {"figure", "measures", "paths", "fit", "method"} <= set(kinds)
    mark = kinds["method"]["mark"]
    keep(
        client, address,
        {
            "title": "My <paper>", "order": ["fit", "measures"],
            "parts": {"fit": {"title": "How it fits"}, "measures": {"shown": False}},
            "edits": {"method": {"text": "We did it well.", "computed": mark}, "sample": {"text": "Old words.", "computed": "other"}},
        },
    )  # fmt: skip
    after = client.get(f"{address}/report").get_json()
    blocks = {block["key"]: block for block in after["blocks"]}
    assert "measures" not in blocks
    assert blocks["fit"]["title"] == "How it fits"
    assert (blocks["method"]["state"], blocks["method"]["paragraphs"]) == ("edited", ["We did it well."])
    assert (blocks["sample"]["state"], blocks["sample"]["paragraphs"]) == ("moved", ["Old words."])
    page = client.get(f"{address}/report.html").get_data(as_text=True)
    assert "My &lt;paper&gt;" in page
    for text in ("How it fits", "We did it well.", "Old words."):
        assert text in page
    for row in blocks["fit"]["rows"]:
        assert all(cell in page for cell in row["cells"] if "&" not in cell and "<" not in cell)
    for ending, made in FORMATS.items():
        answer = client.get(f"{address}/report.{ending}")
        assert answer.status_code == 200, ending
        assert answer.mimetype == made.mimetype
        assert len(answer.get_data()) > 300


def test_what_is_not_estimated_has_no_report(client: FlaskClient, model: dict[str, Any]) -> None:  # noqa: F811
    """An empty report would look like a finding."""
    for file in ("report", "report.docx", "figure.svg"):
        answer = client.get(f"/api/models/{model['id']}/{file}")
        assert answer.status_code == 422
        assert "not estimated" in answer.get_json()["title"] + answer.get_json().get("detail", "")


def test_choices_of_earlier_versions_are_kept(client: FlaskClient, address: str, records: Sessions) -> None:
    """An update loses neither the choices for the figure nor the mediations that were sent to the report."""
    path = client.get(address).get_json()["paths"][0]
    with records.begin() as session:
        row = session.get_one(ModelRow, int(address.rsplit("/", 1)[1]))
        pair = {"source": path["source"], "outcome": path["target"]}
        kept = {"arcs": True, "figure": {"beside": "p", "fit": True}, "pictures": [pair]}
        row.view, row.report = view_and_report(kept)
    state = client.get(address).get_json()
    assert state["view"]["arcs"]
    first, second = state["report"]["figures"]
    assert (first["options"]["beside"], len(first["options"]["fit"])) == ("p", 5)
    assert (second["kind"], second["source"], second["outcome"]) == ("mediation", path["source"], path["target"])
    keys = [block["key"] for block in client.get(f"{address}/report").get_json()["blocks"] if block["kind"] == "figure"]
    assert keys == ["figure", second["key"]]


def test_a_finished_report_stays_as_it_is(client: FlaskClient, address: str) -> None:
    """Whoever was sent its address reads what was meant, whatever becomes of the model."""
    assert client.get(f"{address}/published").get_json() == {"reports": []}
    keep(client, address, {"title": "As it was"})
    made = client.post(f"{address}/published")
    assert made.status_code == 201
    line = made.get_json()["reports"][0]
    page = client.get(line["path"])
    assert (page.status_code, page.mimetype) == (200, "text/html")
    assert "As it was" in page.get_data(as_text=True)
    keep(client, address, {"title": "As it is now"})
    assert client.get(line["path"]).get_data() == page.get_data()
    assert "As it is now" in client.get(f"{address}/report.html").get_data(as_text=True)
    assert client.delete(f"{address}/published/{line['id']}").get_json() == {"reports": []}
    assert client.get(line["path"]).status_code == 404
    assert client.delete(f"{address}/published/{line['id']}").status_code == 404


def test_printed_figures_are_compared(client: FlaskClient, address: str) -> None:
    """A digit that differs is shown with the convention that explains it."""
    readout = {one["key"]: one["value"] for one in client.get(address).get_json()["readout"]}
    text = f"CFI = {readout['cfi']:.3f}\nSRMR {readout['srmr'] + 0.2:.3f}\nNobody .5"
    found = client.post(f"{address}/reconciliations", json={"text": text}).get_json()
    assert [line["agrees"] for line in found["lines"]] == [True, False, False]
    assert [line["figure"] for line in found["lines"]] == ["CFI", "SRMR", None]
    assert not found["explained"]
    assert client.post(f"{address}/reconciliations", json={"text": "nothing"}).status_code == 422


def test_every_table_can_be_had_by_itself(client: FlaskClient, address: str) -> None:
    """The copy button of a screen gives the table that the report prints."""
    shown = {b["key"]: b for b in client.get(f"{address}/report").get_json()["blocks"] if b["kind"] == "table"}
    for one in TABLES:
        answer = client.get(f"{address}/tables/{one.key}")
        if one.key in shown:
            assert {**answer.get_json(), "number": shown[one.key]["number"]} == shown[one.key]
        else:
            assert answer.status_code in (200, 404), one.key
    assert client.get(f"{address}/tables/none").status_code == 422


def test_models_stand_beside_each_other_with_their_test(client: FlaskClient, address: str) -> None:
    """The report tests what Compare tests, and names the works that it rests on; other data are said, not tested."""
    reported = client.get(address).get_json()
    project = f"/api/projects/{reported['project_id']}"
    copies = []
    for name, gesture in (
        ("Fewer paths", {"type": "remove_path", "source": "Training", "target": "Efficacy"}),
        ("Fewer items", {"type": "set_aside", "construct": "Efficacy", "indicator": "ef5"}),
    ):
        made = client.post(f"{project}/models", json={"name": name, "copy_of": reported["id"]}).get_json()
        copies.append(client.get(f"/api/models/{made['model_id']}").get_json())
        change(client, copies[-1], gesture)
    keep(client, address, {"parts": {"models": {"shown": True}}})
    report = client.get(f"{address}/report").get_json()
    table = next(block for block in report["blocks"] if block.get("key") == "models")
    at = {column["words"]: i for i, column in enumerate(table["columns"])}
    rows = {row["cells"][0]: row["cells"] for row in table["rows"]}
    compared = client.post(f"{project}/comparisons", json={"models": [reported["id"], copies[0]["id"]]}).get_json()
    difference = compared["pairs"][0]["difference"]
    assert rows["Fewer paths"][at["Δχ²"]] == f"{difference['chi_square']:.2f}"
    assert rows["Fewer paths"][at["Δdf"]] == str(difference["df"]) == "1"
    assert rows[reported["name"]][at["Δχ²"]] == ""
    assert any(f"against {reported['name']}" in note for note in table["notes"])
    assert any(note.startswith("Fewer items: other data") for note in table["notes"])
    assert any("Testing model nesting and equivalence" in work for work in report["references"])
