"""Nothing that is typed, pasted or sent destroys a study or takes from another window what was written there."""

from __future__ import annotations

from typing import Any

import pytest
from flask.testing import FlaskClient

from dusk_arrow.records.database import Sessions
from dusk_arrow.records.tables import ModelRow, RevisionRow
from tests.server.parts import change, send, state, steps

HOSTILE = ["a\nb", "\ufeffa", "a\u202eb", " a ", "“a”", "a\tb", "", "  ", "x" * 201, 'a" because "b', "# a", "and"]


@pytest.mark.parametrize("name", HOSTILE)
def test_every_name_leaves_a_project_that_can_be_shown(client: FlaskClient, created: dict[str, Any], name: str) -> None:
    """One pasted line break made every page of a study say that it cannot be shown."""
    model, project = created["model_id"], created["project_id"]
    reason = "because\nof this\u202e"
    tried = [
        change(client, model, {"type": "rename", "name": "Training", "to": name}, reason=name),
        change(client, model, {"type": "add_path", "source": "Efficacy", "target": name}),
        change(client, model, {"type": "set_aside", "construct": "Efficacy", "indicator": "ef5", "reason": reason}),
        change(client, model, {"type": "add_sentence", "sentence": f'"{name}" leads to Efficacy'}),
        change(client, model, {"type": "replace_indicators", "construct": "Efficacy", "indicators": [], "by": name}),
        steps(client, project, {"type": "rename_column", "column": "tr1", "to": name}),
        steps(client, project, {"type": "combine", "name": name, "columns": ["tr2", "tr3"]}),
        client.patch(f"/api/projects/{project}", json={"name": f"River {name}"}),
        client.patch(f"/api/models/{model}", json={"name": name}),
    ]
    for answer in tried:
        assert answer.status_code in (200, 422), answer.get_json()
        assert answer.status_code == 200 or answer.get_json()["title"]
    found = state(client, model)
    assert found["sentences"]
    told = [
        found["name"],
        found["revision"]["words"],
        found["revision"]["reason"] or "",
        *(c["name"] for c in found["constructs"]),
    ]
    told += [a["reason"] or "" for c in found["constructs"] for a in c["aside"]]
    told += [column["name"] for column in client.get(f"/api/projects/{project}").get_json()["columns"]]
    assert not any(letter in text for text in told for letter in "\n\t\ufeff\u202e"), told
    assert client.get(f"/api/models/{model}/trail").status_code == 200


def test_a_header_with_a_line_break_makes_names_of_one_line(client: FlaskClient) -> None:
    """Survey tools put whole questions with breaks into the first row."""
    rows = "\n".join(f"{i % 5 + 1},{(i * 3) % 5 + 1},{(i * 7) % 5 + 1}" for i in range(60))
    made = send(client, "/api/projects", f'"How often\ndo you?","\u202eb "," b"\n{rows}\n'.encode(), "odd.csv")
    assert made.status_code == 422
    assert "called b" in made.get_json()["title"]
    made = send(
        client, "/api/projects", f'"How often\ndo you?","\u202eb "," c"\n{rows}\n'.encode(), "odd.csv"
    ).get_json()
    columns = [c["name"] for c in client.get(f"/api/projects/{made['project_id']}").get_json()["columns"]]
    assert columns == ["How often do you?", "b", "c"]
    head = f'passed\nover\n"How often\ndo you?","b","c"\n{rows}\n'.encode()
    seen = send(client, "/api/previews", head, "odd.csv", options={"skip": 2}).get_json()
    assert (seen["n_cases"], seen["columns"][0]["name"]) == (60, "How often do you?")
    answer = change(client, made["model_id"], {"type": "add_construct", "name": "F", "indicators": columns})
    assert answer.get_json()["constructs"][0]["indicators"] == columns


def test_a_seed_below_zero_is_answered_in_words(client: FlaskClient, created: dict[str, Any]) -> None:
    """It raised in the generator of random numbers."""
    answer = steps(client, created["project_id"], {"type": "hold_out_half", "columns": ["tr1"], "seed": -1})
    assert answer.status_code == 422
    assert "0 or more" in answer.get_json()["title"]


def test_what_an_earlier_version_kept_and_cannot_read_leads_back(
    client: FlaskClient, created: dict[str, Any], records: Sessions
) -> None:
    """The page offers the last good revision; the other models of the study and its data are not held up."""
    model, project = created["model_id"], created["project_id"]
    other = client.post(f"/api/projects/{project}/models", json={"name": "Second", "copy_of": model}).get_json()[
        "model_id"
    ]
    good = state(client, model)
    for broken in ('Training shows in "a\nb"\n', '"" leads to Efficacy\n'):
        change(client, model, {"type": "add_path", "source": "Training", "target": "Effort"})
        with records.begin() as session:
            row = session.get_one(RevisionRow, session.get_one(ModelRow, model).head_id)
            row.specification = broken
        shown = client.get(f"/api/models/{model}")
        assert shown.status_code == 422
        problem = shown.get_json()["problems"][0]
        assert (problem["code"], "The last one that can" in problem["message"]) == ("revision_unreadable", True)
        assert state(client, other)["estimated"]
        assert client.get(f"/api/models/{other}/report").status_code == 200
        assert steps(client, project).status_code == 200
        back = client.post(f"/api/models/{model}/last-good").get_json()
        assert back["revision"]["id"] == good["revision"]["id"]
        assert back["sentences"] == good["sentences"]
        assert client.get(f"/api/models/{model}/trail").status_code == 200


def kept(client: FlaskClient, model: int, **choices: Any) -> dict[str, Any]:
    answer = client.patch(f"/api/models/{model}/report-choices", json=choices)
    assert answer.status_code == 200, answer.get_json()
    return dict(answer.get_json())


def test_two_windows_write_one_report(client: FlaskClient, created: dict[str, Any]) -> None:
    """A window that was resized sent its old view and emptied a paragraph that another one had just written."""
    model = created["model_id"]
    kept(client, model, edits={"method": {"text": "Our own\r\nwords.\x07 ", "seen": None, "computed": "m1"}})
    client.patch(f"/api/models/{model}/view", json={"room": [700, 500], "cards": {"Efficacy": "folded"}})
    client.put(f"/api/models/{model}/pins", json={"pins": {"Efficacy": {"x": 10, "y": 20}}})
    kept(client, model, decimals=3)
    kept(client, model, figures={"figure": {"options": {"labels": True, "places": {"Training": [1, 2]}}}})
    kept(client, model, figures={"figure": {"options": {"places": {"Efficacy": [3, 4], "Training": None}}}})
    kept(client, model, parts={"fit": {"title": "How it fits"}}, order=["fit", "method"])
    now = kept(client, model, parts={"fit": {"shown": False}, "method": {"shown": True}})
    report = now["report"]
    assert report["edits"]["method"]["text"] == "Our own\nwords."
    assert (report["decimals"], report["figures"][0]["options"]["labels"]) == (3, True)
    assert report["figures"][0]["options"]["places"] == {"Efficacy": [3.0, 4.0]}
    assert [(p["key"], p["shown"], p["title"]) for p in report["parts"]] == [
        ("fit", False, "How it fits"), ("method", True, None),
    ]  # fmt: skip
    assert (now["version"], state(client, model)["report_version"]) == (6, 6)
    assert state(client, model)["report"] == report
    refused = client.patch(
        f"/api/models/{model}/report-choices", json={"figures": {"figure": {"options": {"arrows": "wavy"}}}}
    )
    assert refused.status_code == 422
    assert state(client, model)["report"] == report


def test_words_that_two_windows_wrote_stand_beside_one_another(client: FlaskClient, created: dict[str, Any]) -> None:
    """Neither is lost: the second waits beside the first until somebody decides."""
    model = created["model_id"]
    first = kept(client, model, edits={"method": {"text": "First.", "seen": None, "computed": "m"}})
    second = kept(client, model, edits={"method": {"text": "Second.", "seen": None, "computed": "m"}})
    assert (first["aside"], second["aside"]) == ([], ["method"])
    assert second["report"]["edits"]["method"] == {"text": "First.", "computed": "m", "beside": ["Second."]}
    again = kept(client, model, edits={"method": {"text": None, "seen": "Older.", "computed": "m"}})
    assert again["report"]["edits"]["method"]["text"] == "First.", "taken back by a window that never saw it"
    words = {b["key"]: b for b in client.get(f"/api/models/{model}/report").get_json()["blocks"]}["method"]
    assert words["paragraphs"] == ["First."]
    chosen = {"text": "Second.", "seen": "First.", "computed": "m", "dropped": ["Second."]}
    after = kept(client, model, edits={"method": chosen})["report"]["edits"]["method"]
    assert after == {"text": "Second.", "computed": "m", "beside": []}
    assert kept(client, model, edits={"method": {"text": None, "seen": "Second."}})["report"]["edits"] == {}


def test_pins_are_bounded(client: FlaskClient, created: dict[str, Any]) -> None:
    """One card at 2³¹ took 19 GB and ended the server, again at every opening."""
    address = f"/api/models/{created['model_id']}/pins"
    for far in (2**31, -1e9, 1e300):
        assert client.put(address, json={"pins": {"Training": {"x": far, "y": 0}}}).status_code == 422
    assert client.put(address, json={"pins": {f"c{i}": {"x": 1, "y": 1} for i in range(300)}}).status_code == 422
    corners = {"Training": (20_000, -20_000), "Efficacy": (-20_000, 20_000), "Persistence": (20_000, 20_000)}
    board = client.put(address, json={"pins": {name: {"x": x, "y": y} for name, (x, y) in corners.items()}})
    assert {card["name"]: card["pinned"] for card in board.get_json()["cards"]}["Persistence"]
