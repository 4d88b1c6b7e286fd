"""Reads a report as its reader would, sentence by sentence, and holds every claim against the results document. It shares no code with
what wrote the sentences: intervals, verdicts and kinds of mediation are worked out here anew."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

from dusk_arrow.core.specification.model import read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.report.material import Material
from dusk_arrow.results.document import EffectPart, ParameterPart, Results

NUMBER = r"[−-]?(?:\d[\d,]*)?\.?\d+"
FIGURES = rf"β = (?P<beta>{NUMBER})(?:, (?P<level>\d+) % interval \[(?P<low>{NUMBER}), (?P<high>{NUMBER})\])?(?:, p (?P<sign>[=<≤]) (?P<p>{NUMBER})(?: \([\d,]+ resamples\))?)?"
NAMES = r"[A-Za-z_]\w*"
RULES = {  # better side, good, tolerable, of the usual, strict and exploratory presets
    "usual": {"CFI": (1, .95, .90), "TLI": (1, .95, .90), "RMSEA": (-1, .06, .08), "SRMR": (-1, .08, .10), "loading": (1, .7, .5),
              "reliability": (1, .7, .6), "AVE": (1, .5, None), "HTMT": (-1, .85, .90)},
    "strict": {"CFI": (1, .97, .95), "TLI": (1, .97, .95), "RMSEA": (-1, .05, .08), "SRMR": (-1, .05, .10), "loading": (1, .7, .5),
               "reliability": (1, .8, .7), "AVE": (1, .5, None), "HTMT": (-1, .85, None)},
    "exploratory": {"CFI": (1, .95, .90), "TLI": (1, .95, .90), "RMSEA": (-1, .08, .10), "SRMR": (-1, .08, .10), "loading": (1, .5, .4),
                    "reliability": (1, .6, .5), "AVE": (1, .5, .4), "HTMT": (-1, .90, 1.0)},
}  # fmt: skip


def plain(text: str) -> str:
    return text.replace("\u00a0", " ")


def value(text: str) -> float:
    return float(text.replace("−", "-").replace(",", ""))


def same(printed: str, wanted: float | None) -> bool:
    """Whether a printed number is that of the document: within half of its last digit, and on its side of zero."""
    assert wanted is not None
    decimals = len(printed.partition(".")[2])
    return abs(value(printed) - wanted) <= 0.5 * 10**-decimals + 1e-9


def same_bound(printed: str, wanted: float) -> bool:
    """A bound also tells on which side of zero it lies."""
    side = (value(printed) > 0) - (value(printed) < 0) == (wanted > 0) - (wanted < 0)
    return same(printed, wanted) and side


class Reader:
    """One report's sentences against its document."""

    def __init__(self, material: Material) -> None:
        self.results: Results = material.results
        self.model = read(parse(self.results.model))
        self.preset = material.criteria.preset
        self.material = material
        self.read: list[str] = []
        self.patterns: list[tuple[re.Pattern[str], Callable[[re.Match[str]], None]]] = [
            (re.compile(pattern), act) for pattern, act in self._sentences()
        ]

    # what decides

    def interval(self, part: ParameterPart | EffectPart) -> tuple[float, float] | None:
        """The interval of the standardized value that decides: of resamples, of draws where there are no cases, else from the
        standard error, which does not decide of products."""
        boot = part.standardized_bootstrap
        if boot is not None:
            return {
                "percentile": boot.percentile,
                "bias-corrected": boot.bias_corrected,
                "bca": boot.bca or boot.percentile,
            }[self.results.settings.interval]
        if isinstance(part, EffectPart):
            if part.standardized_monte_carlo is not None:
                return part.standardized_monte_carlo
            return part.standardized_interval if part.kind == "direct" else None
        return part.standardized_interval if part.free else None

    def clear(self, part: ParameterPart | EffectPart) -> bool:
        bounds = self.interval(part)
        assert bounds is not None
        return bounds[0] > 0 or bounds[1] < 0

    def path(self, source: str, target: str) -> ParameterPart:
        return next(p for p in self.results.parameters if p.kind == "path" and (p.from_, p.to) == (source, target))

    def effect(self, source: str, target: str, kind: str, via: list[str] | None = None) -> EffectPart:
        return next(
            e
            for e in self.results.effects
            if (e.from_, e.to, e.kind) == (source, target, kind) and (via is None or e.via == via)
        )

    def routes(self, source: str, target: str) -> list[EffectPart]:
        return [e for e in self.results.effects if (e.from_, e.to, e.kind) == (source, target, "specific indirect")]

    def verdict(self, figure: str, x: float, reliability: float | None = None) -> str:
        side, good, tolerable = RULES[self.preset][figure]
        if side * x >= side * good:
            return "met"
        if figure == "AVE" and self.preset == "exploratory" and not (reliability or 0) > 0.6:
            tolerable = None
        return "tolerated" if tolerable is not None and side * x >= side * tolerable else "missed"

    # pieces

    def figures(self, text: str, part: ParameterPart | EffectPart) -> None:
        """`β = …, 95 % interval […], p …`."""
        found = re.fullmatch(FIGURES, text)
        assert found, text
        assert same(found["beta"], part.standardized), text
        bounds = self.interval(part)
        assert (found["low"] is None) == (bounds is None), text
        if bounds is not None:
            assert same_bound(found["low"], bounds[0]), text
            assert same_bound(found["high"], bounds[1]), text
            assert float(found["level"]) == pytest_level(self.results)
        if found["p"] is not None:
            self.chance(found["sign"], found["p"], part)

    def chance(self, sign: str, printed: str, part: ParameterPart | EffectPart) -> None:
        boot = part.standardized_bootstrap
        if boot is not None:
            assert self.results.settings.interval == "percentile"
            p, floor = boot.p_value, 2 / (boot.n_used + 1)
        else:
            assert isinstance(part, ParameterPart) or part.kind == "direct"
            z = abs((part.standardized or 0.0) / (part.standardized_se or 1.0))
            p, floor = two_sided(z), 0.0
        assert p is not None
        if sign == "<":
            assert p < 0.001
        else:
            assert same(printed, p)
            assert (sign == "≤") == (abs(p - floor) < 1e-12)
        assert (p < 1 - self.results.settings.level) == self.clear(part), "p and the word say the same"

    def judged(self, text: str, wanted: str) -> None:
        """`CFI (≥ .95, tolerated ≥ .90), TLI (…) and RMSEA (…)`: all of that verdict."""
        fit = self.results.fit
        assert fit is not None
        for name in re.findall(r"(CFI|TLI|RMSEA|SRMR) \(", text):
            assert self.verdict(name, getattr(fit, name.lower())) == wanted, (name, wanted)
            self.seen_fit.add(name)

    # sentences

    def _sentences(self) -> Iterator[tuple[str, Callable[[re.Match[str]], None]]]:
        see = r"(?: \((?:Table|Figure) \d+(?:, (?:Table|Figure) \d+)*\))?"
        some = r"(?P<some>from .+\))"
        yield rf"The paths? {some} (?:was|were) (?P<word>not significant|significant)\.", self._paths
        yield r"The paths? (?P<some>from .+\)) (?:has|have) no interval to be judged by\.", self._unjudged
        yield (
            r"The paths? (?P<some>from .+\)) (?:was|were) not judged, as too few resamples were drawn\.",
            self._too_few,
        )
        yield r"The paths? (?P<some>from .+) (?:was|were) held\.", self._held
        yield (
            rf"(?P<k>\d+) of the (?P<of>\d+) (?:other )?paths (?:was|were) (?P<word>not significant|significant){see}\.",
            self._counted,
        )
        yield (
            (
                r"(?P<label>.+?), (?P<claim>an? (?:positive |negative )?effect) of (?P<a>\w+) on (?P<b>\w+?)(?: through (?P<via>[\w, ]+?))?, "
                rf"(?P<answer>was supported|was not supported|was contradicted: the effect points the other way); β = (?P<beta>{NUMBER}), "
                rf"\[(?P<low>{NUMBER}), (?P<high>{NUMBER})\](?: \((?P<basis>.+)\))?\."
            ),
            self._hypothesis,
        )
        yield (
            (
                r"(?P<label>.+?), (?P<claim>an? (?:positive |negative )?effect) of (?P<a>\w+) on (?P<b>\w+?)(?: through (?P<via>[\w, ]+?))?, "
                rf"has no answer yet \(β = (?P<beta>{NUMBER})\): (?P<why>.+)\."
            ),
            self._unanswered,
        )
        yield rf"The model explains (?P<shares>.+?){see}\.", self._explained
        yield r"R² of (?P<odd>.+) (?:is|are) no shares? of anything\.", self._odd
        yield (
            rf"(?P<names>.+?) (?:was|were) controlled for in (?P<outcomes>[\w, ]+?)(?P<rest>;.+?)?{see}\.",
            self._controls,
        )
        yield r"Estimated in units were (?P<means>.+)\.", self._means
        yield (
            r"The (?P<which>total indirect|indirect) effect of (?P<a>\w+) on (?P<b>\w+) (?P<how>through [\w, ]+?|\(over \d+ routes\)|\(all ways, the circle included\)) was (?P<rest>.+)\.",
            self._indirect,
        )
        yield r"By route: (?P<routes>.+)\.", self._by_route
        yield (
            r"By the (?P<which>total indirect|indirect) effect, this is (?P<kind>[\w -]+(?: \(direct effect only\))?): (?P<why>.+) \(Zhao, Lynch & Chen, 2010\)\.",
            self._kind,
        )
        yield r"Of (?P<a>\w+) and (?P<b>\w+) no kind of mediation is named: (?P<why>.+)\.", self._no_kind
        yield r"No kind of mediation is named, as that takes a bootstrap\.", self._no_kind_yet
        yield (
            rf"The share of the total effect that is mediated was (?P<share>{NUMBER})(?:, \d+ % interval \[(?P<low>{NUMBER}), (?P<high>{NUMBER})\])?\.",
            self._share,
        )
        yield (
            r"The indirect effects of (?P<k>\d+) other pairs? (?:is|are) given in (?:Table \d+|the table of effects)\.",
            self._others,
        )
        yield rf"The fit of the model was (?P<fit>.+?){see}\.", self._fit
        yield r"The (?P<name>.+ scaled) test was (?P<test>.+)\.", self._scaled
        yield (
            rf"The Bollen–Stine test \(Bollen & Stine, 1992\) gave p [=<≤] (?P<p>{NUMBER}) from (?P<used>[\d,]+) transformed resamples\.",
            self._transformed,
        )
        yield r"(?P<text>.*(?:CFI|SRMR|TLI|RMSEA) \(.*)(?<!theirs)\.", self._verdicts
        yield (
            r"The model is saturated(?: \(χ²\(0(?:, N = [\d,]+)?\) = 0\.00\))?, so that its fit cannot be tested\.",
            self._saturated,
        )
        yield (
            rf"(?P<figures>.+) (?:was|were) (?P<side>beyond|below) (?:the 95 % quantile of resamples .+?{see}|theirs|its own)\.",
            self._quantiles,
        )
        yield rf"The distance of the model from the correlations was (?P<figures>.+?){see}\.", self._distances
        yield rf"Standardized loadings (?P<ran>(?:was|ran from) .+?){see}\.", self._loadings
        yield r"(?P<names>.+) runs? against (?:its|their) block\.", self._against
        yield r"The loadings? of (?P<weak>.+) (?:was|were) below what is tolerated \(.+\)\.", self._weak
        yield (
            r"(?:Across constructs )?(?P<ranges>(?:Cronbach's alpha|[Cc]omposite reliability|AVE|rho_A) (?:was|ran from) .+)\.",
            self._ranges,
        )
        yield r"The reliability of (?P<names>.+) is not judged, since an item runs against it\.", self._against_names
        yield r"(?P<short>.+ of .+) missed (?:its cut-off|their cut-offs)\.", self._short
        yield r"No cut-off of reliability or AVE was missed\.", self._none_short
        yield (
            rf"HTMT was (?:highest, )?(?P<top>{NUMBER}),? between (?P<a>\w+) and (?P<b>\w+)(?:, which (?P<word>met|missed|is tolerated by) the cut-off \(.+?\))?{see}\.",
            self._htmt,
        )
        yield (
            r"The solution is inadmissible, so that its estimates should not be interpreted(?:: .+)?\.",
            self._inadmissible,
        )
        yield r"Impossible values were estimated: .+\.", self._impossible
        yield r"The analysis rests on (?P<n>[\d,]+) of the (?P<all>[\d,]+) cases in the file \(.+\)\.", self._sample
        yield r"The analysis rests on all (?P<n>[\d,]+) cases \(.+\)\.", self._whole_sample
        yield (
            r"The analysis rests on the (?P<what>covariances|correlations) of (?P<p>\d+) variables in (?P<n>[\d,]+) cases \(.+\)\.",
            self._matrix,
        )
        yield (
            r"(?P<k>[\d,]+) cases? (?:was|were) left out by a recorded step: (?P<what>.+?)(?:; (?P<gaps>[\d,]+) of these lacked an answer, by which halves could not be drawn)?\.",
            self._removed,
        )
        yield (
            r"(?P<k>[\d,]+) cases? lacked an answer in a column in use and (?:was|were) left out \(listwise\)\.",
            self._listwise,
        )
        yield r"No answer in a column in use was missing\.", self._complete
        yield (
            r"Missing answers were not filled: every case counts with the answers it has \(full-information maximum likelihood; Enders & Bandalos, 2001\)\.",
            self._full,
        )
        yield r"Missing answers were filled with the mean of their column\.", self._filled
        yield r"Each correlation rests on the cases that have both answers \(pairwise\)\.", self._pairwise
        yield (
            rf"Little's test of missing completely at random \(Little, 1988\) gave χ²\((?P<df>\d+)\) = (?P<x>{NUMBER}), p (?P<sign>[=<]) (?P<p>{NUMBER})\.",
            self._little,
        )
        yield r"The model has (?P<what>.+)\.", self._model
        yield r"(?P<whole>\w+) is a second-order construct that shows in (?P<parts>.+)\.", self._second_order
        yield r"(?P<names>.+) (?:is|are) made of (?:its|their) items\.", self._formative
        yield (
            r"The loadings of (?P<names>.+) are held, so that they stand for levels and changes of their items\.",
            self._growth,
        )
        yield rf"(?:The (?P<what>residuals|disturbances) of )?(?P<pairs>.+) covary{see}\.", self._covary
        yield rf"(?P<names>.+) are held equal{see}\.", self._equal
        yield rf"The model holds (?P<names>.+?){see}\.", self._holds
        yield r"It was estimated with (?P<family>.+) by (?P<estimator>.+) \((?P<source>.+)\)\.", self._estimated
        yield r"Standard errors, p and intervals rest on (?P<what>.+)\.", self._errors
        yield (
            r"The test of fit was scaled after (?P<whom>Yuan & Bentler \(2000\)|Satorra & Bentler \(1994\))\.",
            self._scaling,
        )
        yield (
            r"Intervals of indirect and total effects are (?P<level>\d+) % Monte-Carlo intervals from (?P<draws>[\d,]+) draws of the estimates \(MacKinnon, Lockwood & Williams, 2004; seed (?P<seed>\d+)\)\.",
            self._drawn,
        )
        yield (
            r"Standard errors, p and intervals come from (?P<k>[\d,]+) bootstrap resamples of the cases \(seed (?P<seed>\d+)\): (?P<level>\d+) % (?P<kind>percentile|bias-corrected|BCa) intervals \(.+\)\.",
            self._resamples,
        )
        yield r"All of them converged\.", self._all_converged
        yield r"(?P<k>[\d,]+) converged(?: \(.+\))?; the others are left out\.", self._converged
        yield r"(?P<k>[\d,]+) resamples? had an inadmissible solution and (?:was|were) kept\.", self._kept
        yield r"Computed with Dusk Arrow [\d.]+\.", self._nothing
        yield r"(?:One item was|\d+ items were) set aside: (?P<items>.+)\.", self._aside
        yield rf"Cases were left out: (?P<what>.+?){see}\.", self._cases_out
        yield (
            r"(?P<k>\d+) changes? of the model came from these data, which calls for new data \(MacCallum, Roznowski & Necowitz, 1992\)\.",
            self._changes,
        )
        yield r"No item was set aside, and no change of the model came from these data\.", self._no_changes
        yield r"No change is marked as prompted by these data\.", self._nothing
        yield (
            rf"The model was worked out on one half of the cases \(n = (?P<n>[\d,]+)\) and then estimated anew on the other, which had been held out \(n = (?P<m>[\d,]+)\){see}\.",
            self._halves,
        )
        yield (
            rf"(?P<figure>CFI|RMSEA|SRMR) was (?P<one>{NUMBER}) in the first half and (?P<two>{NUMBER}) in the second\.",
            self._half_figure,
        )
        yield (
            rf"Standardized paths differed by up to (?P<gap>{NUMBER}) \((?P<a>\w+) → (?P<b>\w+): (?P<one>{NUMBER}) and (?P<two>{NUMBER})\)\.",
            self._half_path,
        )

    def _nothing(self, found: re.Match[str]) -> None:
        """Says nothing that could be wrong."""

    def _each(self, text: str) -> list[tuple[str, str, str]]:
        return re.findall(rf"from ({NAMES}) to ({NAMES}) \((β = (?:[^()]|\([^()]*\))*)\)", text)

    def _paths(self, found: re.Match[str]) -> None:
        each = self._each(found["some"])
        assert each
        assert len(each) == found["some"].count("from ")
        for source, target, text in each:
            part = self.path(source, target)
            assert part.free
            assert (found["word"] == "significant") == self.clear(part), (source, target)
            self.figures(text, part)
            self.told_paths.add((source, target))

    def _unjudged(self, found: re.Match[str]) -> None:
        for source, target, text in self._each(found["some"]):
            assert self.interval(self.path(source, target)) is None
            self.figures(text, self.path(source, target))
            self.told_paths.add((source, target))

    def _too_few(self, found: re.Match[str]) -> None:
        assert self.results.bootstrap_summary is not None
        assert self.results.bootstrap_summary.used < 80
        self.told_paths |= {(a, b) for a, b, _ in self._each(found["some"])}

    def _held(self, found: re.Match[str]) -> None:
        for a, b, x in re.findall(rf"from (\w+) to (\w+) at ({NUMBER})", found["some"]):
            part = self.path(a, b)
            assert not part.free
            assert value(x) == part.estimate
            self.told_paths.add((a, b))

    def _counted(self, found: re.Match[str]) -> None:
        stated = {tuple(h.route) for h in self.results.hypotheses}
        own = [p for p in self.results.parameters if p.kind == "path" and p.free and (p.from_, p.to) not in stated
               and (p.from_, p.to) not in self.model.controls]  # fmt: skip
        assert int(found["of"]) == len(own)
        wanted = [p for p in own if self.clear(p) == (found["word"] == "significant")]
        assert int(found["k"]) == len(wanted)
        self.told_paths |= {(p.from_, p.to) for p in own}

    def _route(self, found: re.Match[str]) -> list[str]:
        via = re.split(r", | and ", found["via"]) if found["via"] else []
        return [found["a"], *via, found["b"]]

    def _stated(self, found: re.Match[str]) -> EffectPart:
        route = self._route(found)
        stated = next(e for e in self.model.expectations if list(e.route) == route)
        sign = {"a positive effect": "positive", "a negative effect": "negative", "an effect": "nonzero"}[
            found["claim"]
        ]
        assert stated.sign == sign
        if stated.label:
            assert found["label"] == stated.label
        kind = "direct" if len(route) == 2 else "specific indirect"
        part = self.effect(route[0], route[-1], kind, route[1:-1])
        assert same(found["beta"], part.standardized)
        self.told_paths.add((found["a"], found["b"]))
        return part

    def _hypothesis(self, found: re.Match[str]) -> None:
        part = self._stated(found)
        bounds = self.interval(part)
        assert bounds is not None
        assert same_bound(found["low"], bounds[0])
        assert same_bound(found["high"], bounds[1])
        stated = next(e for e in self.model.expectations if list(e.route) == self._route(found))
        if not self.clear(part):
            wanted = "was not supported"
        elif stated.sign == "nonzero" or (bounds[0] > 0) == (stated.sign == "positive"):
            wanted = "was supported"
        else:
            wanted = "was contradicted: the effect points the other way"
        assert found["answer"] == wanted

    def _unanswered(self, found: re.Match[str]) -> None:
        part = self._stated(found)
        if found["why"] == "that takes a bootstrap":
            assert self.results.bootstrap_summary is None
            assert self.interval(part) is None
        elif found["why"] == "the solution is inadmissible":
            assert self.results.admissible is False
        else:
            assert re.fullmatch(r"\d+ resamples are too few", found["why"])

    def _explained(self, found: re.Match[str]) -> None:
        shares = re.findall(r"(\d+) % of (\w+)", found["shares"])
        assert shares
        for share, name in shares:
            r = self.results.r_squared[name]
            assert r is not None
            assert 0 <= r <= 1
            assert abs(int(share) - 100 * r) <= 0.5 + 1e-9

    def _odd(self, found: re.Match[str]) -> None:
        for name, x in re.findall(rf"(\w+) \(({NUMBER})\)", found["odd"]):
            r = self.results.r_squared[name]
            assert same(x, r)
            assert not 0 <= (r or 0) <= 1

    def _controls(self, found: re.Match[str]) -> None:
        assert set(re.split(r", | and ", found["names"])) == set(self.model.control_names)
        assert set(re.split(r", | and ", found["outcomes"])) == {b for _, b in self.model.controls}
        clear = {pair for pair in self.model.controls if self.clear(self.path(*pair))}
        rest = found["rest"] or ""
        told = {(a, b): text for a, b, text in re.findall(r"(\w+) → (\w+) \((β = (?:[^()]|\([^()]*\))*)\)", rest)}
        if rest.startswith("; of these paths"):
            assert set(told) == clear
            for pair, text in told.items():
                self.figures(text, self.path(*pair))
        else:
            assert "none of these paths was significant" in rest or "that path was not significant" in rest
            assert not clear

    def _means(self, found: re.Match[str]) -> None:
        told = re.findall(rf"the (mean|intercept) of (\w+) \(({NUMBER})", found["means"])
        assert told
        for kind, name, x in told:
            assert same(x, next(p.estimate for p in self.results.parameters if p.kind == kind and p.from_ == name))
            assert (kind == "intercept") == (name in {target for _, target in self.model.paths})

    def _effect_words(self, text: str, part: EffectPart) -> None:
        if found := re.fullmatch(r"(significant|not significant) \((.+)\)", text):
            assert (found[1] == "significant") == self.clear(part)
            self.figures(found[2], part)
        elif found := re.fullmatch(rf"β = ({NUMBER}), without an interval to judge it by", text):
            assert same(found[1], part.standardized)
            assert self.interval(part) is None
        elif found := re.fullmatch(r"not judged, as too few resamples were drawn \(.+\)", text):
            assert self.results.bootstrap_summary is not None
            assert self.results.bootstrap_summary.used < 80
        else:
            raise AssertionError(text)

    def _indirect(self, found: re.Match[str]) -> None:
        source, target = found["a"], found["b"]
        self.pair = (source, target)
        total, routes = self.effect(source, target, "total indirect"), self.routes(source, target)
        if found["which"] == "indirect":
            via = re.split(r", | and ", found["how"].removeprefix("through "))
            assert len(routes) == 1
            assert routes[0].via == via
            assert abs(routes[0].estimate - total.estimate) < 1e-8, "a total is never said of one route"
        elif found["how"].startswith("(over"):
            assert found["how"] == f"(over {len(routes)} routes)"
        first, _, second = found["rest"].partition("; the direct effect was ")
        self._effect_words(first, total)
        direct = (source, target) in self.model.paths
        assert bool(second) == direct
        if second.startswith("held at"):
            assert not self.path(source, target).free
        elif second:
            self._effect_words(second, self.effect(source, target, "direct"))
        self.told_pairs.add(self.pair)

    def _by_route(self, found: re.Match[str]) -> None:
        told = re.findall(r"through ([\w, ]+?) (β = (?:[^();]|\([^()]*\))*)(?:;|$)", found["routes"])
        assert len(told) == len(self.routes(*self.pair))
        for via, text in told:
            self.figures(text.strip(), self.effect(*self.pair, "specific indirect", re.split(r", | and ", via)))

    def _kind(self, found: re.Match[str]) -> None:
        total, direct = self.effect(*self.pair, "total indirect"), self.effect(*self.pair, "direct")
        assert self.path(*self.pair).free, "only where the direct effect was tested"
        several = len(self.routes(*self.pair)) > 1
        assert found["which"] == ("total indirect" if several or self.material.circular else "indirect")
        through, straight = self.clear(total), self.clear(direct)
        one_way = (total.standardized or 0) * (direct.standardized or 0) > 0
        wanted = {
            (True, True): "complementary mediation" if one_way else "competitive mediation",
            (True, False): "indirect-only mediation",
            (False, True): "no mediation (direct effect only)",
            (False, False): "no mediation",
        }[through, straight]
        assert found["kind"] == wanted
        alone = [e for e in self.routes(*self.pair) if self.clear(e)]
        if not through and several and alone:
            assert all(f"the route through {' and '.join(e.via or [])}" in found["why"] for e in alone)

    def _no_kind(self, found: re.Match[str]) -> None:
        assert "direct effect not tested" in found["why"]
        assert (found["a"], found["b"]) == self.pair
        if self.pair in self.model.paths:
            assert not self.path(*self.pair).free
        assert ("excludes zero" in found["why"]) == self.clear(self.effect(*self.pair, "total indirect"))

    def _no_kind_yet(self, found: re.Match[str]) -> None:
        assert self.results.bootstrap_summary is None
        assert self.results.monte_carlo is None

    def _share(self, found: re.Match[str]) -> None:
        total, indirect = self.effect(*self.pair, "total"), self.effect(*self.pair, "total indirect")
        direct = self.effect(*self.pair, "direct")
        assert same(found["share"], indirect.estimate / total.estimate)
        assert self.clear(indirect)
        assert self.clear(total)
        assert indirect.estimate * direct.estimate > 0

    def _others(self, found: re.Match[str]) -> None:
        pairs = {(e.from_, e.to) for e in self.results.effects if e.kind == "total indirect"}
        assert int(found["k"]) == len(pairs - self.told_pairs)

    def _test(self, text: str, x: float | None, p: float | None) -> None:
        fit, data = self.results.fit, self.results.data
        found = re.match(rf"χ²\((\d+), N = ([\d,]+)\) = ({NUMBER})(?:, p ([=<]) ({NUMBER}))?", text)
        assert found, text
        assert fit is not None
        assert data is not None
        assert (int(found[1]), int(found[2].replace(",", ""))) == (fit.df, data.n_used)
        assert same(found[3], x)
        assert p is not None
        assert p < 0.001 if found[4] == "<" else same(found[5], p)

    def _fit(self, found: re.Match[str]) -> None:
        fit = self.results.fit
        assert fit is not None
        text = found["fit"]
        if text.startswith("χ²"):
            self._test(text, fit.chi_square, fit.p_value)
        for name, x in re.findall(rf"(CFI|TLI|RMSEA|SRMR) = ({NUMBER})", text):
            own = getattr(fit, name.lower())
            assert same(x, own)
            if self.results.admissible is not False:
                assert self.verdict(name, value(x)) == self.verdict(name, own), "the printed figure shows its verdict"
        low, high = re.search(rf"90 % interval \[({NUMBER}), ({NUMBER})\]", text).groups()  # type: ignore[union-attr]
        assert same_bound(low, fit.rmsea_interval[0])  # type: ignore[index]
        assert same_bound(high, fit.rmsea_interval[1])  # type: ignore[index]

    def _scaled(self, found: re.Match[str]) -> None:
        scaled = self.results.fit.scaled  # type: ignore[union-attr]
        assert scaled is not None
        wanted = {"sandwich": "Yuan–Bentler scaled", "satorra-bentler": "Satorra–Bentler scaled"}
        assert found["name"] == wanted[self.results.settings.errors]
        self._test(found["test"], scaled.chi_square, scaled.p_value)

    def _transformed(self, found: re.Match[str]) -> None:
        part = self.results.fit.bollen_stine  # type: ignore[union-attr]
        assert part is not None
        assert same(found["p"], part.p_value)
        assert int(found["used"].replace(",", "")) == part.used

    def _verdicts(self, found: re.Match[str]) -> None:
        text = found["text"]
        assert self.results.fit is not None
        assert self.results.fit.df != 0
        at = 0
        for end in re.finditer(
            r" (missed|was tolerated|were tolerated|met)(?: its cut-off| their cut-offs)?(?:, | and |$)", text
        ):
            self.judged(text[at : end.start()], end[1].removeprefix("was ").removeprefix("were "))
            at = end.end()
        assert at >= len(text) - 1

    def _saturated(self, found: re.Match[str]) -> None:
        assert self.results.fit is not None
        assert self.results.fit.df == 0

    def _quantiles(self, found: re.Match[str]) -> None:
        fit = self.results.fit
        assert fit is not None
        assert fit.reference is not None
        told = re.findall(rf"(SRMR|d_ULS|d_G) = ({NUMBER}) \(({NUMBER})\)", found["figures"])
        assert told
        for name, x, quantile in told:
            own, reference = getattr(fit, name.lower()), getattr(fit.reference, name.lower()).q95
            assert same(x, own)
            assert same(quantile, reference)
            assert (found["side"] == "below") == (own <= reference)
            assert (value(x) <= value(quantile)) == (own <= reference)

    def _distances(self, found: re.Match[str]) -> None:
        for name, x in re.findall(rf"(SRMR|d_ULS|d_G) = ({NUMBER})", found["figures"]):
            assert same(x, getattr(self.results.fit, name.lower()))

    def _range(self, text: str, values: list[float]) -> None:
        if found := re.fullmatch(rf"was ({NUMBER})", text):
            assert same(found[1], min(values))
            assert same(found[1], max(values))
        else:
            found = re.fullmatch(rf"ran from ({NUMBER}) to ({NUMBER})", text)
            assert found, text
            assert found[1] != found[2]
            assert same(found[1], min(values))
            assert same(found[2], max(values))

    def _measured(self) -> list[Any]:
        quality = self.results.quality
        assert quality is not None
        held = {(c.name) for c in self.model.constructs if len(c.indicators) > 1 and all(
            any((t.source, t.target) == (c.name, i) for t in self.model.fixed if hasattr(t, "target")) for i in c.indicators
        )}  # fmt: skip
        return [c for c in quality.constructs if c.mode == "reflective" and c.name not in held]

    def _loadings(self, found: re.Match[str]) -> None:
        names = {c.name for c in self._measured()}
        own = [x.loading for x in self.results.quality.loadings if x.construct_ in names and x.loading is not None]  # type: ignore[union-attr]
        self._range(found["ran"], own)

    def _weak(self, found: re.Match[str]) -> None:
        told = dict(re.findall(rf"(\w+) \(({NUMBER})\)", found["weak"]))
        for one in self.results.quality.loadings:  # type: ignore[union-attr]
            if one.indicator in told:
                assert one.loading is not None
                assert same(told[one.indicator], one.loading)
                assert self.verdict("loading", abs(value(told[one.indicator]))) == "missed"

    def _against(self, found: re.Match[str]) -> None:
        assert {p.about[0] for p in self.results.problems if p.code == "runs_against_block"} == set(
            re.split(r", | and ", found["names"])
        )

    def _against_names(self, found: re.Match[str]) -> None:
        assert set(re.split(r", | and ", found["names"])) <= {
            p.about[1] for p in self.results.problems if p.code == "runs_against_block"
        }

    KEYS = {
        "Cronbach's alpha": "alpha",
        "composite reliability": "composite_reliability",
        "AVE": "ave",
        "rho_A": "rho_a",
    }

    def _ranges(self, found: re.Match[str]) -> None:
        for words, text in re.findall(
            rf"(Cronbach's alpha|[Cc]omposite reliability|AVE|rho_A) ((?:was|ran from) {NUMBER}(?: to {NUMBER})?)",
            found["ranges"],
        ):
            key = self.KEYS[words.replace("Composite", "composite")]
            self._range(text, [getattr(c, key) for c in self._measured() if getattr(c, key) is not None])

    def _misses(self) -> set[tuple[str, str]]:
        found = set()
        blocked = {p.about[1] for p in self.results.problems if p.code == "runs_against_block"}
        for words, key in self.KEYS.items():
            if key == "rho_a" and self.results.family != "composite":
                continue
            for c in self._measured():
                x = getattr(c, key)
                if x is None or c.name in blocked or (key == "alpha" and x < 0):
                    continue
                if self.verdict("AVE" if key == "ave" else "reliability", x, c.composite_reliability) == "missed":
                    found.add((words, c.name))
        return found

    def _short(self, found: re.Match[str]) -> None:
        told = re.findall(rf"(Cronbach's alpha|composite reliability|AVE|rho_A) of (\w+) \(({NUMBER});", found["short"])
        assert {(words, name) for words, name, _ in told} == self._misses()
        for words, name, x in told:
            c = next(c for c in self._measured() if c.name == name)
            assert same(x, getattr(c, self.KEYS[words]))
            kind = "AVE" if words == "AVE" else "reliability"
            assert self.verdict(kind, value(x), c.composite_reliability) == "missed", "the printed figure misses, too"

    def _none_short(self, found: re.Match[str]) -> None:
        assert not self._misses()

    def _htmt(self, found: re.Match[str]) -> None:
        pairs = [h for h in self.results.quality.htmt if h.value is not None]  # type: ignore[union-attr]
        top = max(pairs, key=lambda h: h.value or 0)
        assert {found["a"], found["b"]} == {top.a, top.b}
        assert same(found["top"], top.value)
        if found["word"]:
            word = {"met": "met", "missed": "missed", "is tolerated by": "tolerated"}[found["word"]]
            assert self.verdict("HTMT", top.value or 0) == word

    def _inadmissible(self, found: re.Match[str]) -> None:
        assert self.results.admissible is False

    def _impossible(self, found: re.Match[str]) -> None:
        assert any(
            p.code in ("loading_beyond_one", "unstable_loop", "negative_variance") for p in self.results.problems
        )

    def _sample(self, found: re.Match[str]) -> None:
        assert int(found["n"].replace(",", "")) == self.results.data.n_used  # type: ignore[union-attr]
        assert int(found["all"].replace(",", "")) == self.material.cases.in_file  # type: ignore[union-attr]
        self.gone = int(found["all"].replace(",", "")) - int(found["n"].replace(",", ""))

    def _whole_sample(self, found: re.Match[str]) -> None:
        assert int(found["n"].replace(",", "")) == self.results.data.n_used == self.material.cases.in_file  # type: ignore[union-attr]

    def _matrix(self, found: re.Match[str]) -> None:
        sample = self.results.sample
        assert sample is not None
        assert int(found["p"]) == len(sample.variables)
        assert int(found["n"].replace(",", "")) == self.results.data.n_used  # type: ignore[union-attr]

    def _removed(self, found: re.Match[str]) -> None:
        k = int(found["k"].replace(",", ""))
        (one,) = [one for one in self.material.cases.removals if found["what"].startswith(one.words)]  # type: ignore[union-attr]
        assert (one.cases, one.incomplete) == (k, int((found["gaps"] or "0").replace(",", "")))
        assert found["what"] == one.words + (f" ({one.reason})" if one.reason else "")
        self.gone -= k

    def _listwise(self, found: re.Match[str]) -> None:
        k = int(found["k"].replace(",", ""))
        assert k == self.results.data.n_total - self.results.data.n_used  # type: ignore[union-attr]
        assert self.results.settings.missing == "listwise"
        self.gone -= k

    def _gaps(self) -> int:
        return sum(c.missing for c in self.material.screening.columns)  # type: ignore[union-attr]

    def _complete(self, found: re.Match[str]) -> None:
        assert self._gaps() == 0

    def _full(self, found: re.Match[str]) -> None:
        assert self.results.settings.missing == "full-information"
        assert self._gaps() > 0

    def _filled(self, found: re.Match[str]) -> None:
        assert self.results.settings.missing == "mean"
        assert self._gaps() > 0

    def _pairwise(self, found: re.Match[str]) -> None:
        assert self.results.settings.missing == "pairwise"
        assert self._gaps() > 0

    def _little(self, found: re.Match[str]) -> None:
        little = self.material.screening.little  # type: ignore[union-attr]
        assert little is not None
        assert int(found["df"]) == little.df
        assert same(found["x"], little.chi_square)

    def _model(self, found: re.Match[str]) -> None:
        text, model = found["what"], self.model
        items = {i for c in model.constructs for i in c.indicators if i not in model.by_name}
        for pattern, wanted in (
            (r"(\d+) constructs?", len(model.constructs)),
            (r"(\d+) items?", len(items)),
            (r"(\d+) observed variables?", len([o for o in model.observed if o not in model.control_names])),
            (r"(\d+) controls?", len(model.control_names)),
            (r"(\d+) paths?", len(model.paths) - len(model.controls)),
        ):
            told = re.search(pattern, text)
            assert (int(told[1]) if told else 0) == wanted, (pattern, text)

    def _second_order(self, found: re.Match[str]) -> None:
        assert tuple(re.split(r", | and ", found["parts"])) == self.model.by_name[found["whole"]].indicators

    def _formative(self, found: re.Match[str]) -> None:
        assert set(re.split(r", | and ", found["names"])) == {
            c.name for c in self.model.constructs if c.mode == "formative"
        }

    def _growth(self, found: re.Match[str]) -> None:
        held = {p.from_ for p in self.results.parameters if p.kind == "loading" and not p.free}
        assert set(re.split(r", | and ", found["names"])) <= held

    def _covary(self, found: re.Match[str]) -> None:
        explained = {target for _, target in self.model.paths}
        for a, b in re.findall(r"(\w+) and (\w+)", found["pairs"]):
            if not found["pairs"].endswith(" pairs"):
                wanted = {"residuals": set(self.model.owner), "disturbances": explained}.get(found["what"])
                assert {a, b} <= wanted if wanted is not None else not {a, b} <= explained
            assert any(p.kind == "covariance" and p.free and {p.from_, p.to} == {a, b} for p in self.results.parameters)

    def _equal(self, found: re.Match[str]) -> None:
        told = re.findall(r"(\w+) → (\w+)", found["names"])
        values = {p.estimate for p in self.results.parameters if (p.from_, p.to) in told}
        assert len(values) == 1

    def _holds(self, found: re.Match[str]) -> None:
        for a, b, x in re.findall(rf"(\w+) → (\w+) at ({NUMBER})", found["names"]):
            part = next(p for p in self.results.parameters if (p.from_, p.to) == (a, b))
            assert not part.free
            assert part.estimate == value(x)

    def _estimated(self, found: re.Match[str]) -> None:
        names = {"ml": "maximum likelihood", "plsc": "consistent PLS", "pls": "PLS"}
        assert found["estimator"].startswith(names[self.results.estimator]), found["estimator"]
        families = {"covariance": "common factors", "composite": "composites"}
        wanted = families[self.results.family] if self.model.constructs else "observed variables alone"
        assert found["family"] == wanted

    def _errors(self, found: re.Match[str]) -> None:
        assert self.results.bootstrap_summary is None
        words = {"expected": "the expected information (J", "observed": "the observed information", "sandwich": "the sandwich",
                 "satorra-bentler": "the expected information, corrected"}  # fmt: skip
        assert found["what"].startswith(words[self.results.settings.errors])

    def _scaling(self, found: re.Match[str]) -> None:
        who = {"sandwich": "Yuan", "satorra-bentler": "Satorra"}
        assert found["whom"].startswith(who[self.results.settings.errors])

    def _drawn(self, found: re.Match[str]) -> None:
        drawn = self.results.monte_carlo
        assert drawn is not None
        assert (int(found["draws"].replace(",", "")), int(found["seed"])) == (drawn.draws, drawn.seed)

    def _resamples(self, found: re.Match[str]) -> None:
        summary = self.results.bootstrap_summary
        assert summary is not None
        assert int(found["k"].replace(",", "")) == summary.used + summary.not_converged
        assert int(found["seed"]) == summary.seed
        assert float(found["level"]) == round(100 * summary.level)
        assert found["kind"].lower() == summary.interval

    def _all_converged(self, found: re.Match[str]) -> None:
        assert self.results.bootstrap_summary.not_converged == 0  # type: ignore[union-attr]

    def _converged(self, found: re.Match[str]) -> None:
        assert int(found["k"].replace(",", "")) == self.results.bootstrap_summary.used  # type: ignore[union-attr]

    def _kept(self, found: re.Match[str]) -> None:
        assert int(found["k"].replace(",", "")) == self.results.bootstrap_summary.inadmissible  # type: ignore[union-attr]

    def _aside(self, found: re.Match[str]) -> None:
        told = re.findall(r"(\w+) \((.+?)\)(?:;|$)", found["items"])
        assert {name for name, _ in told} == {name for c in self.model.constructs for name, _ in c.aside}

    def _cases_out(self, found: re.Match[str]) -> None:
        counts = [int(k.replace(",", "")) for k in re.findall(r"\(([\d,]+) cases?;", found["what"])]
        assert sum(counts) == self.material.cases.in_file - self.results.data.n_used  # type: ignore[union-attr]

    def _changes(self, found: re.Match[str]) -> None:
        assert int(found["k"]) == sum(t.from_data for t in self.material.turns or ())

    def _no_changes(self, found: re.Match[str]) -> None:
        assert not any(t.from_data for t in self.material.turns or ())

    def _halves(self, found: re.Match[str]) -> None:
        halves = self.material.holdout
        assert halves is not None
        assert (int(found["n"]), int(found["m"])) == (halves.first.n, halves.second.n)

    def _half_figure(self, found: re.Match[str]) -> None:
        halves = self.material.holdout
        assert halves is not None
        assert same(found["one"], getattr(halves.first.fit, found["figure"].lower()))
        assert same(found["two"], getattr(halves.second.fit, found["figure"].lower()))

    def _half_path(self, found: re.Match[str]) -> None:
        halves = self.material.holdout
        assert halves is not None
        first = {(p.from_, p.to): p.standardized for p in halves.first.paths}
        second = {(p.from_, p.to): p.standardized for p in halves.second.paths}
        gaps = {pair: abs((x or 0) - (second[pair] or 0)) for pair, x in first.items()}
        assert same(found["gap"], max(gaps.values()))
        assert same(found["one"], first[found["a"], found["b"]])

    # the whole

    def check(self, paragraphs: list[str]) -> None:
        """Every sentence of every paragraph is understood, and is so."""
        self.told_paths: set[tuple[str, str]] = set()
        self.told_pairs: set[tuple[str, str]] = set()
        self.seen_fit: set[str] = set()
        self.pair = ("", "")
        self.gone = 0
        for paragraph in paragraphs:
            for sentence in sentences(plain(paragraph)):
                self._one(sentence)
        assert self.gone == 0, "the cases left out add up to those that are gone"
        if self.results.admissible is not False:
            controls = set(self.model.controls)
            assert self.told_paths >= {p for p in self.model.paths if p not in controls}, "no path is passed over"

    def _one(self, sentence: str) -> None:
        self.read.append(sentence)
        for pattern, act in self.patterns:
            found = pattern.fullmatch(sentence)
            if found:
                act(found)
                return
        raise AssertionError(f"not understood: {sentence}")


def pytest_level(results: Results) -> float:
    return round(100 * results.settings.level)


def two_sided(z: float) -> float:
    from math import erfc, sqrt

    return erfc(z / sqrt(2))


def sentences(paragraph: str) -> list[str]:
    """A paragraph's sentences: a full stop ends one where a blank and a new beginning follow, outside of brackets."""
    found, depth, begin = [], 0, 0
    for at, letter in enumerate(paragraph):
        depth += (letter in "([") - (letter in ")]")
        after = paragraph[at + 1 : at + 3]
        if (
            letter == "."
            and depth == 0
            and (not after or re.match(r" [A-Z0-9a-zχ]", after))
            and paragraph[at - 1 : at] != " "
        ):
            found.append(paragraph[begin : at + 1].strip())
            begin = at + 1
    rest = paragraph[begin:].strip()
    return [*found, rest] if rest else found
