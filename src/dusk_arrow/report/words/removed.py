"""What was removed and why, and whose cut-offs were followed."""

from __future__ import annotations

from dusk_arrow.core.problems import counted, enumerated
from dusk_arrow.report.material import Material
from dusk_arrow.report.references import within
from dusk_arrow.report.tables.history import NO_REASON, cited, reasons, removed
from dusk_arrow.report.tables.structure import cut_off


def aside(material: Material) -> list[str]:
    """Which items and cases were removed and why, and how many changes came from these data."""
    why = reasons(material)
    said = []
    if why:
        items = [f"{name} ({reason or NO_REASON})" for name, reason in why.items()]
        head = "One item was" if len(items) == 1 else f"{len(items)} items were"
        said.append(f"{head} set aside: {'; '.join(items)}.")
    cases = [one for one in removed(material) if one.cases]
    if cases:
        parts = [f"{one.words} ({counted(one.cases, 'case')}; {one.reason or NO_REASON})" for one in cases]
        said.append(f"Cases were left out: {'; '.join(parts)}{material.see('set_aside')}.")
    changes = [t for t in material.turns or () if t.from_data]
    if changes:
        said.append(
            f"{counted(len(changes), 'change')} of the model came from these data, which calls for new data (MacCallum, Roznowski & Necowitz, 1992)."
        )
    elif material.turns is not None:
        said.append(
            "No item was set aside, and no change of the model came from these data."
            if not why
            else "No change is marked as prompted by these data."
        )
    return [" ".join(said)] if said else []


def criteria(material: Material) -> list[str]:
    """Whose cut-offs were followed, each with its source."""
    said = []
    for key in cited(material):
        criterion = material.criteria.by_key[key]
        if criterion.good is not None:
            said.append(f"{criterion.label} {cut_off(criterion)} ({within(criterion.cut_off_source)})")
    return [f"Verdicts follow {material.criteria.words}: {enumerated(said)}."]
