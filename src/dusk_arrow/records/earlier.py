"""Records as earlier versions wrote them, in the form of this one."""

from __future__ import annotations

from typing import Any


def view_and_report(view: Any) -> tuple[dict[str, Any], dict[str, Any]]:
    """How a model is looked at, and its report, which was kept inside. Before there were reports a view had one figure and the
    mediations that were sent beside it."""
    seen = dict(view) if isinstance(view, dict) else {}
    report = seen.pop("report", None)
    figures: list[dict[str, Any]] = []
    if {"figure", "pictures"} & set(seen):
        figures.append({"options": seen.pop("figure", {})})
        for pair in seen.pop("pictures", []):
            figures.append({"key": f"{pair['source']} → {pair['outcome']}", "kind": "mediation", **pair})
    if not isinstance(report, dict):
        report = {"figures": figures} if figures else {}
    return seen, report
