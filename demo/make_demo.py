"""Makes the demo studies from a seed: `python demo/make_demo.py` writes the CSV files beside this script.

River Wardens is a made-up survey of 412 volunteers who watch over small rivers. Planted flaws:

- ef5 is a weak item (loading about .35);
- su4 is worded the other way round, and nobody recoded it;
- st1 and st2 are worded nearly alike, so their residuals correlate;
- about 2 % of the answers are missing here and there, and nine people skipped the page with pe1–pe4;
- seven careless people gave the same answer throughout;
- answers are mildly skewed towards agreement.

`river_wardens_collinear` is a second wave in which Training and Support are nearly the same thing.
`river_wardens_covariance` is the first wave as a covariance matrix with n only.
Night Ferry is a small made-up experiment (n = 240) for the simple mediation.
"""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
import pandas as pd

HERE = Path(__file__).parent
BLOCKS = {"tr": 4, "su": 4, "ef": 5, "st": 4, "pe": 4, "eo": 3, "mo": 3}
LOADINGS = {
    "tr": [0.80, 0.77, 0.83, 0.71],
    "su": [0.76, 0.82, 0.79, 0.62],
    "ef": [0.80, 0.76, 0.82, 0.74, 0.35],
    "st": [0.84, 0.82, 0.72, 0.70],
    "pe": [0.79, 0.82, 0.76, 0.71],
    "mo": [0.70, 0.66, 0.72],
}
LABELS = {
    "case": "Running number",
    "tr1": "The training showed me exactly what to do",
    "tr2": "I knew whom to ask during the training",
    "tr3": "After the training I could take a sample alone",
    "tr4": "The written guide answers my questions",
    "su1": "Someone from the group helps when I am stuck",
    "su2": "The group notices what I do",
    "su3": "We meet often enough",
    "su4": "I am left alone with my questions",
    "ef1": "My readings are reliable",
    "ef2": "My readings are used",
    "ef3": "I can tell a wrong reading from a right one",
    "ef4": "What I measure makes a difference",
    "ef5": "The tools work well in the cold",
    "st1": "I feel responsible for my stretch of river",
    "st2": "My stretch of river is my responsibility",
    "st3": "I would speak up for the river",
    "st4": "I look after the river between visits",
    "pe1": "I will keep measuring next season",
    "pe2": "I go even when the weather is bad",
    "pe3": "I seldom skip a visit",
    "pe4": "I can see myself doing this for years",
    "eo1": "Getting to the river takes long",
    "eo2": "A visit takes much of my day",
    "eo3": "A visit costs me money",
    "mo1": "I like being outdoors",
    "mo2": "I want to meet people",
    "mo3": "It is for my children",
    "age": "Age in years",
    "years": "Years as a warden",
    "catchment": "Catchment of the stretch",
    "readings": "Readings filed last year",
    "email_opt": "Wants the newsletter",
}
AGREEMENT = "1=disagree entirely;2=disagree;3=rather disagree;4=neither;5=rather agree;6=agree;7=agree entirely"
THRESHOLDS = np.array([-2.1, -1.5, -0.95, -0.35, 0.35, 1.15])


def answers(latent: np.ndarray) -> np.ndarray:
    """Continuous standard scores as answers 1–7, more agreement than disagreement."""
    return 1 + np.searchsorted(THRESHOLDS, latent).astype(float)


def items(rng: np.random.Generator, factor: np.ndarray, loadings: list[float], shared: float = 0.0) -> np.ndarray:
    """Answers to a block; `shared` is the correlation of the first two residuals."""
    n, k = factor.size, len(loadings)
    error = rng.standard_normal((n, k))
    if shared:
        error[:, 1] = shared * error[:, 0] + np.sqrt(1 - shared**2) * error[:, 1]
    weight = np.array(loadings)
    return answers(factor[:, None] * weight + error * np.sqrt(1 - weight**2))


def constructs(rng: np.random.Generator, n: int, training_support: float) -> dict[str, np.ndarray]:
    """Construct scores that follow the theory, each with variance near 1."""
    base = rng.multivariate_normal([0, 0], [[1, training_support], [training_support, 1]], n)
    training, support = base.T
    burden = rng.multivariate_normal([0, 0, 0], np.full((3, 3), 0.3) + 0.7 * np.eye(3), n)
    effort = burden @ np.array([0.55, 0.40, 0.30])
    effort = effort / effort.std()
    efficacy = 0.42 * training + 0.33 * support + 0.75 * rng.standard_normal(n)
    stewardship = 0.46 * efficacy + 0.20 * support + 0.78 * rng.standard_normal(n)
    persistence = 0.44 * stewardship + 0.08 * training - 0.27 * effort + 0.79 * rng.standard_normal(n)
    return {
        "tr": training,
        "su": support,
        "ef": efficacy,
        "st": stewardship,
        "pe": persistence,
        "burden": burden,
        "mo": rng.standard_normal(n),
    }


def survey(seed: int, n: int, training_support: float, flawed: bool) -> pd.DataFrame:
    """One wave of the survey as answers, with the planted flaws where `flawed`."""
    rng = np.random.default_rng(seed)
    scores = constructs(rng, n, training_support)
    columns: dict[str, np.ndarray] = {"case": np.arange(1, n + 1)}
    for stem, k in BLOCKS.items():
        if stem == "eo":
            block = answers(scores["burden"])
        else:
            block = items(rng, scores[stem], LOADINGS[stem], shared=0.45 if stem == "st" else 0.0)
        for i in range(k):
            columns[f"{stem}{i + 1}"] = block[:, i]
    frame = pd.DataFrame(columns)
    frame["su4"] = 8 - frame["su4"]
    frame["age"] = np.clip(np.round(rng.gamma(9, 5.2, n)), 18, 84)
    frame["years"] = np.clip(np.round(rng.gamma(1.8, 2.4, n)), 0, 30)
    frame["catchment"] = np.where(rng.random(n) < 0.46, "upland", "lowland")
    frame["readings"] = rng.poisson(np.exp(2.2 + 0.35 * scores["pe"]))
    frame["email_opt"] = (rng.random(n) < 0.6).astype(float)
    if flawed:
        asked = [name for name in frame.columns if name.rstrip("0123456789") in BLOCKS]
        hasty = rng.random(n) < 0.1
        chance = np.where(hasty, 0.18, 0.002)
        gone = rng.random((n, len(asked))) < chance[:, None]
        frame[asked] = frame[asked].mask(gone)
        skipped = rng.choice(n, 9, replace=False)
        frame.loc[skipped, ["pe1", "pe2", "pe3", "pe4"]] = np.nan
        careless = rng.choice(np.setdiff1d(np.arange(n), skipped), 7, replace=False)
        frame.loc[careless, asked] = np.repeat(rng.integers(3, 8, (7, 1)).astype(float), len(asked), axis=1)
    return frame


def night_ferry(seed: int) -> pd.DataFrame:
    """A boarding notice (shown or not), felt safety, rides again, and the control years of riding."""
    rng = np.random.default_rng(seed)
    n = 240
    notice = rng.permutation(np.repeat([0.0, 1.0], n // 2))
    years = np.round(rng.gamma(2.0, 2.5, n), 1)
    safety = 4.1 + 0.55 * notice + 0.05 * years + rng.normal(0, 1.0, n)
    rides = 1.6 + 0.62 * safety + 0.12 * notice + 0.08 * years + rng.normal(0, 1.2, n)
    return pd.DataFrame({"notice": notice, "safety": np.round(safety, 2), "rides": np.round(rides, 2), "years": years})


def write_frame(frame: pd.DataFrame, name: str) -> None:
    """Whole numbers without decimals, missing answers blank."""
    frame.to_csv(HERE / f"{name}.csv", index=False, float_format="%g", lineterminator="\n")


def write_labels(name: str, rows: list[tuple[str, str, str, str]]) -> None:
    """The sidecar: column, label, level, value labels."""
    with (HERE / f"{name}.labels.csv").open("w", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(["column", "label", "level", "values"])
        writer.writerows(rows)


def river_labels(frame: pd.DataFrame) -> list[tuple[str, str, str, str]]:
    """Labels of the survey's columns."""
    levels = {"case": "identifier", "catchment": "category", "email_opt": "category"}
    values = {"email_opt": "0=no;1=yes"}
    rows = []
    for column in frame.columns:
        asked = column.rstrip("0123456789") in BLOCKS
        level = "ordered" if asked else levels.get(column, "number")
        rows.append((column, LABELS[column], level, AGREEMENT if asked else values.get(column, "")))
    return rows


def write_covariance(frame: pd.DataFrame, name: str) -> None:
    """Lower triangle of the covariance matrix (divisor n−1) of the complete answers, with n in a row of its own."""
    asked = [column for column in frame.columns if column.rstrip("0123456789") in BLOCKS]
    complete = frame[asked].dropna()
    matrix = complete.cov().to_numpy()
    with (HERE / f"{name}.csv").open("w", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(["", *asked])
        for i, column in enumerate(asked):
            writer.writerow([column, *(f"{matrix[i, j]:.6f}" if j <= i else "" for j in range(len(asked)))])
        writer.writerow(["n", len(complete)])


def main() -> None:
    """Writes every file of the demo."""
    wave = survey(20260321, 412, 0.35, flawed=True)
    write_frame(wave, "river_wardens")
    write_labels("river_wardens", river_labels(wave))
    write_covariance(wave, "river_wardens_covariance")
    second = survey(20260922, 388, 0.86, flawed=False)
    write_frame(second, "river_wardens_collinear")
    write_labels("river_wardens_collinear", river_labels(second))
    ferry = night_ferry(20260707)
    write_frame(ferry, "night_ferry")
    write_labels(
        "night_ferry",
        [
            ("notice", "Boarding notice", "category", "0=not shown;1=shown"),
            ("safety", "Felt safety (mean of a scale, 1–7)", "number", ""),
            ("rides", "Would ride again (mean of a scale, 1–7)", "number", ""),
            ("years", "Years of riding the ferry", "number", ""),
        ],
    )


if __name__ == "__main__":
    main()
