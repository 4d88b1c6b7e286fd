"""What a browser is shown is the analysis that it asked for: after the data, their description or a setting changed, too."""

from __future__ import annotations

import json
from typing import Any

from flask.testing import FlaskClient

from dusk_arrow.records import runs
from dusk_arrow.records.database import Sessions
from dusk_arrow.records.store import fill_fingerprints, find
from dusk_arrow.records.tables import DataVersionRow, RevisionRow, RunRow
from dusk_arrow.server.documents import estimation_of
from tests.server.parts import change, ended, part, send, state, steps

MATRIX = "name,x,y,z\nx,1.44,.5,.3\ny,.5,1,.4\nz,.3,.4,2\nn,200,200,200\nmean,{},2,3\n"
COMPOSITE = {"family": "composite", "estimator": "pls"}


def estimated(client: FlaskClient, model: int, **settings: Any) -> dict[str, Any]:
    head = state(client, model)
    body = {"parent": head["revision"]["id"], "settings": {**head["settings"], **settings}}
    return dict(client.put(f"/api/models/{model}/settings", json=body).get_json())


def bootstrapped(client: FlaskClient, model: int) -> int:
    run = client.post(f"/api/models/{model}/runs", json={"resamples": 100}).get_json()
    assert ended(client, run)["state"] == "finished"
    return int(run["id"])


def document(client: FlaskClient, model: int) -> dict[str, Any]:
    return dict(json.loads(client.get(f"/api/models/{model}/results.json").data))


def test_one_matrix_with_other_means_has_other_intercepts(client: FlaskClient) -> None:
    """A second project with the same matrix showed the first one's intercepts."""
    found = []
    for mean in (1, 7):
        made = send(client, "/api/projects", MATRIX.format(mean).encode(), "matrix.csv").get_json()
        change(client, made["model_id"], {"type": "replace_text", "text": "x, y lead to z"})
        estimated(client, made["model_id"], means=True)
        found.append(document(client, made["model_id"]))
    assert [one["sample"]["means"][0] for one in found] == [1, 7]
    assert found[0]["data"]["analysed"] != found[1]["data"]["analysed"]


def test_a_change_of_the_settings_is_told_in_words(client: FlaskClient, created: dict[str, Any]) -> None:
    """The trail is read by people: *estimated: errors observed, missing full-information* was none of their words."""
    model = created["model_id"]
    told = [
        estimated(client, model, missing="full-information", errors="observed"),
        estimated(client, model, estimator="gls", missing="listwise", errors="expected", means=True),
        estimated(client, model, means=False),
    ]
    assert [one["revision"]["words"] for one in told] == [
        "estimated: a missing answer: full information, standard errors: observed information",
        "estimated: generalized least squares, a missing answer: leave the case out, "
        "standard errors: expected information, with “model means and intercepts too”",
        "estimated: without “model means and intercepts too”",
    ]


def test_described_columns_are_those_of_the_document(client: FlaskClient, created: dict[str, Any]) -> None:
    """Performance is over the ends of the scale: recorded later, they count at once, and the wording with them."""
    model, project = created["model_id"], created["project_id"]
    estimated(client, model, **COMPOSITE)

    def looked() -> tuple[float, dict[str, str], str]:
        lines = part(client, state(client, model), "thorough")["importance"]
        found = next(line for line in lines if line["construct"] == "Training" and line["performance"] is not None)
        return (
            found["performance"],
            document(client, model)["data"]["labels"],
            state(client, model)["readout"][0]["change_text"],
        )

    before, _, _ = looked()
    ends = {"0": "never", "9": "always"}
    wide = [
        {"type": "describe_column", "column": f"tr{i}", "label": "Trained?", "value_labels": ends} for i in range(1, 5)
    ]
    assert steps(client, project, *wide).status_code == 200
    after, labels, _ = looked()
    assert after != before
    assert labels["tr1"] == "Trained?"


def test_a_run_answers_for_its_own_data_and_settings_alone(
    client: FlaskClient, records: Sessions, created: dict[str, Any]
) -> None:
    """A run was matched by what its settings contain: after a global item was taken back, or with another divisor or other
    cases, its old figures stayed."""
    model, project = created["model_id"], created["project_id"]
    estimated(client, model, **COMPOSITE, global_items={"Effort": "readings"})
    run = bootstrapped(client, model)
    shown = state(client, model)["shown"]
    assert shown["run"] == run
    assert [one["construct"] for one in document(client, model)["quality"]["redundancy"]] == ["Effort"]
    estimated(client, model, global_items={})
    assert state(client, model)["shown"]["run"] is None
    assert document(client, model)["quality"]["redundancy"] == []
    estimated(client, model, global_items={"Effort": "readings"})
    assert state(client, model)["shown"]["run"] == run, "what was computed is found again"
    steps(client, project, {"type": "hold_out", "cases": [1, 2, 3]})
    assert state(client, model)["shown"]["run"] is None
    assert document(client, model)["bootstrap_summary"] is None
    with records() as session:
        head = find(session, RevisionRow, state(client, model)["revision"]["id"])
        assert head is not None
        assert runs.latest_run(session, model, estimation_of(session, head, head.specification)) is None


def test_another_divisor_is_another_run(client: FlaskClient, created: dict[str, Any]) -> None:
    """χ² by N and by N−1 are two analyses, with a bootstrap each."""
    model = created["model_id"]
    run = bootstrapped(client, model)
    estimated(client, model, divisor="n-1")
    assert state(client, model)["shown"]["run"] is None
    other = bootstrapped(client, model)
    assert other != run
    estimated(client, model, divisor="n")
    assert state(client, model)["shown"]["run"] == run


def test_the_tag_of_a_part_knows_run_and_query(client: FlaskClient, created: dict[str, Any]) -> None:
    """A browser that has one part must not be told that it has another."""
    model = created["model_id"]
    revision, run = state(client, model)["revision"]["id"], bootstrapped(client, model)
    address = f"/api/models/{model}/revisions/{revision}"
    asked = [
        f"{address}/estimates", f"{address}/estimates?run={run}", f"{address}/quality", f"{address}/scores",
        f"{address}/scores?method=bartlett", f"{address}/scores?first=Support", f"{address}/scores?second=Support",
    ]  # fmt: skip
    tags = [client.get(one).headers["ETag"] for one in asked]
    assert len(set(tags)) == len(asked)
    for one, tag in zip(asked, tags, strict=True):
        assert client.get(one, headers={"If-None-Match": tag}).status_code == 304


def test_results_so_far_are_kept_apart_from_those_of_the_end(
    client: FlaskClient, records: Sessions, created: dict[str, Any]
) -> None:
    """A document that was kept while its run was under way is not shown when it has ended."""
    model = created["model_id"]
    run = bootstrapped(client, model)
    revision = state(client, model)["revision"]["id"]
    address = f"/api/models/{model}/revisions/{revision}/estimates?run={run}"
    with records.begin() as session:
        row = session.get_one(RunRow, run)
        whole = dict(row.results or {})
        row.so_far, row.results = 64, {**whole, "effects": []}
    assert client.get(f"{address}&so_far=64").get_json()["effects"] == []
    with records.begin() as session:
        row = session.get_one(RunRow, run)
        row.so_far, row.results = 0, whole
    assert client.get(address).get_json()["effects"]


def test_fingerprints_of_an_earlier_version_are_made_anew(
    client: FlaskClient, records: Sessions, created: dict[str, Any]
) -> None:
    """After an update the same data are found to be the same."""
    with records.begin() as session:
        versions = session.query(DataVersionRow).all()
        before = {version.id: version.fingerprint for version in versions}
        for version in versions:
            version.fingerprint = ""
    with records.begin() as session:
        fill_fingerprints(session)
    with records() as session:
        assert {version.id: version.fingerprint for version in session.query(DataVersionRow)} == before
