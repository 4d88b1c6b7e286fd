"""Parts of documents, what there is to choose from, and the files of a model: every way out says the same."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

import pytest
from flask.testing import FlaskClient

from dusk_arrow.command_line.arguments import fit_parser
from dusk_arrow.core.family_options import FAMILY_OPTIONS
from dusk_arrow.results.settings import Settings
from tests.conftest import DEMO, demo_text
from tests.server.parts import part
from tests.server.test_api import change, upload

PARTS = {
    "estimates": (
        "parameters",
        "effects",
        "mediation",
        "tracked",
        "r_squared",
        "f_squared",
        "hypotheses",
        "differences",
        "monte_carlo",
    ),
    "quality": ("quality", "bootstrap_figures"),
    "fit": ("fit", "r_squared"),
    "residuals": ("residuals",),
    "modification": ("modification",),
}


@pytest.fixture(scope="module")
def model(client: FlaskClient) -> dict[str, Any]:
    created = upload(client, (DEMO / "river_wardens.csv").read_bytes(), "river_wardens.csv").get_json()
    state = client.get(f"/api/models/{created['model_id']}").get_json()
    return dict(change(client, state, {"type": "replace_text", "text": demo_text("river_wardens")}).get_json())


@pytest.fixture(scope="module")
def document(client: FlaskClient, model: dict[str, Any]) -> dict[str, Any]:
    answer = client.get(f"/api/models/{model['id']}/results.json")
    return dict(json.loads(answer.data))


@pytest.mark.parametrize("name", PARTS)
def test_a_part_is_that_of_the_document(
    client: FlaskClient, model: dict[str, Any], document: dict[str, Any], name: str
) -> None:
    """What a screen shows is what is saved and sent to a co-author, to the last digit."""
    found = part(client, model, name)
    assert set(found) == set(PARTS[name])
    for key in PARTS[name]:
        assert found[key] == document[key]
    assert any(found.values())


@pytest.mark.parametrize("name", PARTS)
def test_a_part_is_asked_for_by_its_tag(client: FlaskClient, model: dict[str, Any], name: str) -> None:
    """Whoever has it gets nothing twice; another revision has another tag."""
    address = f"/api/models/{model['id']}/revisions/{model['revision']['id']}/{name}"
    first = client.get(address)
    tag = first.headers["ETag"]
    assert "private" in first.headers["Cache-Control"]
    again = client.get(address, headers={"If-None-Match": tag})
    assert (again.status_code, again.data) == (304, b"")
    other = client.get(address, headers={"If-None-Match": tag[:-1] + '9"'})
    assert other.status_code == 200


@pytest.mark.parametrize("name", PARTS)
def test_parts_of_what_is_not_there(client: FlaskClient, model: dict[str, Any], name: str) -> None:
    """A revision of another model, an unknown one, and an unknown run are not found, in words."""
    other = upload(client, (DEMO / "river_wardens.csv").read_bytes(), "again.csv").get_json()["model_id"]
    here = model["revision"]["id"]
    for address, code in (
        (f"/api/models/{other}/revisions/{here}/{name}", "unknown_revision"),
        (f"/api/models/{model['id']}/revisions/999999/{name}", "unknown_revision"),
        (f"/api/models/{model['id']}/revisions/{here}/{name}?run=999999", "unknown_run"),
    ):
        answer = client.get(address)
        assert answer.status_code == 404
        assert answer.get_json()["problems"][0]["code"] == code


@pytest.mark.parametrize("name", PARTS)
def test_a_part_of_a_model_in_pieces_is_empty_and_no_error(client: FlaskClient, name: str) -> None:
    """A screen that is open while somebody builds shows nothing instead of breaking."""
    created = upload(client, (DEMO / "river_wardens.csv").read_bytes(), "empty.csv").get_json()
    state = client.get(f"/api/models/{created['model_id']}").get_json()
    answer = client.get(f"/api/models/{state['id']}/revisions/{state['revision']['id']}/{name}")
    assert answer.status_code == 200
    assert not any(answer.get_json().values())


def test_what_a_gesture_answers_is_small(client: FlaskClient, model: dict[str, Any]) -> None:
    """Over a slow line the numbers of a demo arrive at once; large parts are fetched by the screen that shows them."""
    aside = {"type": "set_aside", "construct": "Efficacy", "indicator": "ef5"}
    answer = change(client, model, aside)
    assert answer.status_code == 200
    assert len(answer.data) < 20_000
    back = client.post(f"/api/models/{model['id']}/undo", json={"parent": answer.get_json()["revision"]["id"]})
    assert back.get_json()["revision"]["id"] == model["revision"]["id"]
    packed = client.get(f"/api/models/{model['id']}", headers={"Accept-Encoding": "gzip"})
    assert packed.headers.get("Content-Encoding") == "gzip"
    assert len(packed.data) < 6_000


def test_choices_are_those_of_the_command_line() -> None:
    """A setting that only one of both knows makes results that cannot be made again elsewhere."""
    helps = {action.dest: action.help or "" for action in fit_parser()._actions}
    for family in FAMILY_OPTIONS:
        assert f"{family.key} ({family.words})" in helps["family"]
        for option in family.options:
            assert option.name in helps, option.name
            for choice in option.choices:
                assert choice.value in helps[option.name], (option.name, choice.value)


def test_settings_that_no_family_has_are_refused() -> None:
    """A misspelt value in a stored file must not fall back to a default in silence."""
    for name, value in (("estimator", "mle"), ("missing", "drop"), ("family", "other"), ("part", "half"), ("level", 2)):
        with pytest.raises(ValueError, match=name):
            Settings(**{name: value})


def test_the_estimates_as_a_table(client: FlaskClient, model: dict[str, Any], document: dict[str, Any]) -> None:
    """Covariances of the estimates: symmetric, with the squares of the standard errors on the diagonal."""
    answer = client.get(f"/api/models/{model['id']}/estimates.csv")
    assert answer.status_code == 200
    rows = list(csv.reader(io.StringIO(answer.data.decode("utf-8-sig"))))
    size = (len(rows) - 2) // 2
    assert (rows[0][0], rows[size + 1][0]) == ("covariances", "correlations")
    assert rows[0][1:] == rows[size + 1][1:] == [row[0] for row in rows[1 : size + 1]]
    numbers = [[float(cell) for cell in row[1:]] for row in rows[1 : size + 1]]
    correlations = [[float(cell) for cell in row[1:]] for row in rows[size + 2 :]]
    free = [p for p in document["parameters"] if p["se"] is not None]
    spreads = sorted(p["se"] for p in free)
    for i, row in enumerate(numbers):
        for j in range(size):
            assert abs(row[j] - numbers[j][i]) <= 1e-9
            assert correlations[i][j] == pytest.approx(row[j] / (numbers[i][i] * numbers[j][j]) ** 0.5, abs=1e-9)
    assert sorted(row[i] ** 0.5 for i, row in enumerate(numbers)) == pytest.approx(spreads, rel=1e-6)


def test_scores_of_the_cases(client: FlaskClient, model: dict[str, Any], document: dict[str, Any]) -> None:
    """One line for each case that was used, one column for each construct, in the order of the file."""
    answer = client.get(f"/api/models/{model['id']}/scores.csv")
    rows = list(csv.DictReader(io.StringIO(answer.data.decode("utf-8-sig"))))
    names = [c["name"] for c in document["quality"]["constructs"]]
    assert set(names) <= set(rows[0])
    complete = [row for row in rows if row[names[0]] not in ("", None)]
    assert len(complete) == document["data"]["n_used"]
    numbers = [float(row[names[0]]) for row in complete]
    assert abs(sum(numbers) / len(numbers)) < 1e-6
