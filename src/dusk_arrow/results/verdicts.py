"""Problems that are verdicts: they hang on the cut-offs in force, so they are made of a document and a sheet of criteria."""

from __future__ import annotations

from dusk_arrow.core.assessment.criteria import USUAL, Sheet
from dusk_arrow.core.problems import Problem, Repair
from dusk_arrow.core.specification.changes import SetAside
from dusk_arrow.core.specification.model import read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Arrow
from dusk_arrow.core.wording import coefficient
from dusk_arrow.results.convert import problem_part
from dusk_arrow.results.document import ProblemPart, Results

CODE = "weak_loading"


def weak_loadings(results: Results, criteria: Sheet = USUAL) -> list[ProblemPart]:
    """Reflective indicators that show too little of their construct, by the loading that is still tolerable. What runs against
    its block is another matter; what is kept as essential is named without being proposed to be set aside."""
    criterion = criteria.by_key["loading"]
    bound = criterion.good if criterion.tolerable is None else criterion.tolerable
    if results.quality is None or bound is None:
        return []
    against = {tuple(p.about[:2]) for p in results.problems if p.code == "runs_against_block"}
    model = read(parse(results.model))
    kept = {(name, c.name) for c in model.constructs for name in c.kept}
    found = []
    for construct in results.quality.constructs:
        own = [line for line in results.quality.loadings if line.construct_ == construct.name]
        if construct.mode == "formative" or len(own) < 2:
            continue
        for line in own:
            about = (line.indicator, construct.name)
            if line.loading is None or line.loading * construct.direction >= bound or about in against:
                continue
            if Arrow(construct.name, line.indicator) in model.fixed:
                continue  # a held value says nothing of the item
            message = (
                f"{line.indicator} shows little of {construct.name}: its loading is {coefficient(line.loading)}, below "
                f"{coefficient(bound)}. Look at its wording before setting it aside."
            )
            aside = Repair(f"Set {line.indicator} aside", SetAside(construct.name, line.indicator))
            repairs = (aside,) if len(own) > 2 and about not in kept else ()
            found.append(problem_part(Problem(CODE, "warning", message, about, repairs)))
    return found


def judged_by(results: Results, criteria: Sheet = USUAL) -> list[ProblemPart]:
    """The problems of a document as a sheet of criteria sees them; verdicts stand with the warnings, before the notes."""
    rest = [p for p in results.problems if p.code != CODE]
    at = max((i + 1 for i, p in enumerate(rest) if p.severity != "note"), default=0)
    return [*rest[:at], *weak_loadings(results, criteria), *rest[at:]]
