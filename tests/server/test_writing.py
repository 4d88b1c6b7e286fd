"""Sentences, looks, proposals and what-ifs of settings over the API."""

from __future__ import annotations

from typing import Any

import pytest
from flask.testing import FlaskClient

from tests.conftest import DEMO
from tests.server.parts import fit
from tests.server.test_api import change, step, upload
from tests.server.test_trail import model  # noqa: F401

LINES = [
    "# what keeps volunteers measuring",
    "Training shows in tr1..tr4",
    "Effrot leads to Training",
    "Efficacy shows in ef1..ef5",
    "Training leads to Efficacy",
]


@pytest.fixture
def blank(client: FlaskClient) -> dict[str, Any]:
    created = upload(client, (DEMO / "river_wardens.csv").read_bytes(), "river_wardens.csv").get_json()
    return dict(client.get(f"/api/models/{created['model_id']}").get_json())


def written(client: FlaskClient, state: dict[str, Any], rows: list[str]) -> Any:
    body = {"parent": state["revision"]["id"], "rows": rows}
    return client.put(f"/api/models/{state['id']}/sentences", json=body)


def test_lines_that_read_do_not_wait_for_the_others(client: FlaskClient, blank: dict[str, Any]) -> None:
    """A slip in one line must not hold up the model, nor be lost."""
    found = written(client, blank, LINES).get_json()
    state = found["state"]
    assert state["estimated"]
    assert [row["reads"] for row in found["rows"]] == [True, True, False, True, True]
    wrong = found["rows"][2]
    assert LINES[2][wrong["begin"] : wrong["end"]] == "Effrot"
    assert "Effrot" in wrong["message"]
    assert "Effrot" not in state["sentences"]
    assert state["sentences"].startswith("# what keeps volunteers measuring\n")
    again = written(client, state, [*LINES[:2], "Effort is made of eo1, eo2", *LINES[3:]]).get_json()
    assert again["state"]["revision"]["words"] == "Effort is made of eo1, eo2"
    undone = step(client, f"/api/models/{blank['id']}", "undo").get_json()
    assert undone["sentences"] == state["sentences"], "undo is shared with the board"


def test_nothing_new_makes_no_revision(client: FlaskClient, blank: dict[str, Any]) -> None:
    """The caret that only walks through the lines leaves nothing on the trail."""
    state = written(client, blank, LINES).get_json()["state"]
    same = written(client, state, [*state["sentences"].splitlines(), "", ""]).get_json()["state"]
    assert same["revision"]["id"] == state["revision"]["id"]
    only = written(client, state, [*state["sentences"].splitlines(), "nonsense here"]).get_json()
    assert only["state"]["revision"]["id"] == state["revision"]["id"]
    assert written(client, blank, LINES).status_code == 409, "another tab was faster"


def test_reading_stores_nothing(client: FlaskClient, blank: dict[str, Any]) -> None:
    """Faults are shown while somebody types, before the model has to bear it."""
    found = client.post(f"/api/models/{blank['id']}/sentences/readings", json={"rows": LINES}).get_json()
    assert [row["reads"] for row in found["rows"]] == [True, True, False, True, True]
    assert {"shows", "leads", "covary"} <= set(found["keywords"])
    assert client.get(f"/api/models/{blank['id']}").get_json()["sentences"] == ""
    long = client.post(f"/api/models/{blank['id']}/sentences/readings", json={"rows": ["x"] * 2001})
    assert long.status_code == 422


def test_how_a_model_is_looked_at(client: FlaskClient, model: dict[str, Any]) -> None:  # noqa: F811
    """Room, folds and covariances are kept with the model and make no revision."""
    address = f"/api/models/{model['id']}/view"
    assert model["board"]["arcs"] == []
    assert model["board"]["hidden_arcs"] == 1, "Training and Support; covariances with a composite are its own affair"
    board = client.patch(address, json={"arcs": True, "cards": {"Efficacy": "folded"}, "room": [736, 530]}).get_json()[
        "board"
    ]
    assert [(a["from"], a["to"], a["kind"], a["said"]) for a in board["arcs"]] == [
        ("Support", "Training", "node", False)
    ]
    folded = {card["name"]: card["folded"] for card in board["cards"]}
    assert folded["Efficacy"]
    assert not folded["Training"]
    after = client.get(f"/api/models/{model['id']}").get_json()
    kept = {name: after["view"][name] for name in ("arcs", "folded", "opened", "room", "figures")}
    assert kept == {
        "arcs": True,
        "folded": ["Efficacy"],
        "opened": [],
        "room": [736.0, 530.0],
        "figures": {},
    }
    assert [one["key"] for one in after["report"]["figures"]] == ["figure"]
    assert after["revision"]["id"] == model["revision"]["id"]
    tight = client.patch(address, json={"room": [200, 150], "cards": {"Training": "opened"}}).get_json()["board"]
    assert {c["name"]: c["folded"] for c in tight["cards"]} == {
        c["name"]: c["name"] != "Training" for c in tight["cards"]
    }
    assert client.patch(address, json={"room": ["wide", 2]}).status_code == 422


def test_held_and_equal_parameters_show_on_the_board(client: FlaskClient, model: dict[str, Any]) -> None:  # noqa: F811
    """What was imposed can be seen where the numbers are."""
    loadings = [{"kind": "loading", "source": "Training", "target": f"tr{i}"} for i in (2, 3)]
    paths = [{"kind": "path", "source": s, "target": "Efficacy"} for s in ("Training", "Support")]
    held = change(
        client, model, {"type": "make_equal", "parameters": loadings}, {"type": "make_equal", "parameters": paths},
        {"type": "hold", "parameters": [{"kind": "loading", "source": "Support", "target": "su2"}], "value": 0.9},
    ).get_json()  # fmt: skip
    cards = {card["name"]: {row["indicator"]: row for row in card["rows"]} for card in held["board"]["cards"]}
    assert [cards["Training"][f"tr{i}"]["equal"] for i in (1, 2, 3, 4)] == [None, "a", "a", None]
    assert cards["Support"]["su2"]["held"] == 0.9
    arrows = {(a["from"], a["to"]): a["equal"] for a in held["board"]["arrows"]}
    assert arrows["Training", "Efficacy"] == arrows["Support", "Efficacy"] == "b"
    # two equalities add a degree of freedom each; the held loading carries the scale in the place of the first
    assert fit(client, held)["df"] == fit(client, model)["df"] + 2
    freed = change(client, held, {"type": "free", "parameters": [*loadings, *paths]}).get_json()
    assert fit(client, freed)["df"] == fit(client, model)["df"]


def test_the_listwise_note_has_its_way_out(client: FlaskClient, model: dict[str, Any]) -> None:  # noqa: F811
    """Using every answer is a button, with what would change before it is pressed; nothing is stored by asking."""
    note = next(p for p in model["problems"] if p["code"] == "cases_left_out")
    (repair,) = note["repairs"]
    assert repair["change"] == {"type": "choose", "setting": "missing", "value": "full-information"}
    asked = client.post(f"/api/models/{model['id']}/what-ifs", json={"settings": [repair["change"]]}).get_json()
    assert asked["estimated"]
    assert asked["n_used"] == 412
    assert client.get(f"/api/models/{model['id']}").get_json()["shown"]["n_used"] == 349
    wrong = {"type": "choose", "setting": "missing", "value": "guess"}
    assert client.post(f"/api/models/{model['id']}/what-ifs", json={"settings": [wrong]}).status_code == 422
    gls = model["settings"] | {"estimator": "gls"}
    body = {"parent": model["revision"]["id"], "settings": gls}
    other = client.put(f"/api/models/{model['id']}/settings", json=body).get_json()
    assert next(p for p in other["problems"] if p["code"] == "cases_left_out")["repairs"] == []


def test_constructs_are_proposed_with_their_evidence(client: FlaskClient, model: dict[str, Any]) -> None:  # noqa: F811
    """Stems of two and more columns, with the correlations that speak for or against them."""
    found = client.get(f"/api/projects/{model['project_id']}/proposals").get_json()["proposals"]
    by_stem = {p["stem"]: p for p in found}
    assert set(by_stem) == {"tr", "su", "ef", "st", "pe", "eo", "mo"}
    assert by_stem["su"]["against"] == ["su4"]
    assert by_stem["ef"]["weakest"] == "ef5"
    quality = {p["stem"]: p["alpha"] for p in found}
    assert 0.7 < quality["tr"] < 0.9
    assert (
        by_stem["tr"]["lowest_correlation"] < by_stem["tr"]["mean_correlation"] < by_stem["tr"]["highest_correlation"]
    )


def test_the_readout_is_chosen_and_kept(client: FlaskClient, model: dict[str, Any]) -> None:  # noqa: F811
    """For each family by itself, without a revision; what nobody offers is passed over."""
    address = f"/api/models/{model['id']}"
    figures = {"covariance": ["srmr", "gfi", "unheard"], "composite": ["d_uls"]}
    assert client.patch(f"{address}/view", json={"figures": figures}).status_code == 200
    chosen = client.get(address).get_json()
    assert [f["key"] for f in chosen["readout"]] == ["srmr", "gfi"]
    assert chosen["revision"] == model["revision"]
    offered = {f["key"]: f for f in client.get("/api/choices").get_json()["families"]}
    assert set(offered["covariance"]["readout"]) <= set(offered["covariance"]["figures"])
    usual = client.patch(f"{address}/view", json={"figures": {"covariance": []}})
    assert usual.status_code == 200
    assert [f["key"] for f in client.get(address).get_json()["readout"]] == [f["key"] for f in model["readout"]]
