"""Results documents of made-up models, without estimating anything: what a figure is drawn from."""

from __future__ import annotations

import numpy as np

from dusk_arrow.results.document import DataPart, ParameterPart, Results
from dusk_arrow.results.settings import Settings

NAMES = (
    "Belonging", "Trust", "Clarity", "Effort", "Support", "Efficacy", "Stewardship", "Persistence", "Openness", "Workload", "Recognition",
    "Fairness", "Autonomy", "Commitment", "Wellbeing", "Quality", "Pride", "Calm", "Reach", "Voice",
)  # fmt: skip


def _parameter(kind: str, source: str, target: str, value: float, role: str | None = None) -> ParameterPart:
    bounds = (value - 0.15, value + 0.15)
    return ParameterPart.model_validate(
        {"kind": kind, "from": source, "to": target, "role": role, "label": None, "free": True, "why_fixed": None, "estimate": value, "se": 0.08,
         "z": value / 0.08, "p_value": 0.02, "interval": bounds, "standardized": value, "standardized_se": 0.08, "standardized_interval": bounds}
    )  # fmt: skip


def made_up(constructs: int, items: int, seed: int, most_antecedents: int = 3, covariances: int = 0) -> Results:
    """A model of so many constructs, each of so many items, whose paths lead from earlier constructs to later ones, with so many
    covariances of constructs, and of errors."""
    draw = np.random.default_rng(seed)
    names = NAMES[:constructs]
    lines, parameters, outcomes = [], [], {}
    for at, name in enumerate(names):
        own = [f"{name[:3].lower()}{i + 1}" for i in range(items)]
        lines.append(f"{name} shows in {', '.join(own)}")
        parameters += [_parameter("loading", name, item, float(draw.uniform(0.5, 0.95))) for item in own]
        parameters += [_parameter("variance", item, item, float(draw.uniform(0.1, 0.7)), "residual") for item in own]
        if at:
            chosen = sorted(draw.choice(at, size=min(at, int(draw.integers(1, most_antecedents + 1))), replace=False))
            for before in chosen:
                lines.append(f"{names[before]} leads to {name}")
                parameters.append(_parameter("path", names[before], name, float(draw.uniform(-0.6, 0.6))))
            outcomes[name] = float(draw.uniform(0.1, 0.6))
    targets = [p.to for p in parameters if p.kind == "loading"]
    for group in (names, [item for item in targets if targets.count(item) == 1]):
        for _ in range(covariances):
            first, second = (str(name) for name in draw.choice(group, 2, replace=False))
            lines.append(f"{first} and {second} covary")
            parameters.append(_parameter("covariance", first, second, float(draw.uniform(-0.5, 0.5))))
    return Results(
        settings=Settings(), model="\n".join(lines), converged=True, problems=[], parameters=parameters, r_squared=outcomes,
        data=DataPart(name="made up", fingerprint="", n_used=300, n_total=300, missing=0),
    )  # fmt: skip
