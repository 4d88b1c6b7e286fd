"""Cards in columns by cause, with as few crossing arrows as can be found."""

from __future__ import annotations

from collections.abc import Sequence

Link = tuple[str, str]


def forward_links(names: Sequence[str], links: Sequence[Link]) -> list[Link]:
    """The links with those that close a circle turned round, so that the rest has an order."""
    onward: dict[str, list[str]] = {name: [] for name in names}
    for source, target in links:
        onward[source].append(target)
    state: dict[str, int] = {}
    backward: set[Link] = set()

    def visit(name: str) -> None:
        state[name] = 1
        for target in onward[name]:
            if state.get(target) == 1:
                backward.add((name, target))
            elif target not in state:
                visit(target)
        state[name] = 2

    incoming = {target for _, target in links}
    for name in sorted(names, key=lambda n: n in incoming):
        if name not in state:
            visit(name)
    return [(b, a) if (a, b) in backward else (a, b) for a, b in links]


def layer_of(names: Sequence[str], links: Sequence[Link]) -> dict[str, int]:
    """The column of every name: 0 for those nothing leads to, else one right of its rightmost antecedent."""
    incoming: dict[str, list[str]] = {name: [] for name in names}
    for source, target in links:
        incoming[target].append(source)
    layers: dict[str, int] = {}

    def place(name: str) -> int:
        if name not in layers:
            layers[name] = 0
            layers[name] = max((place(source) + 1 for source in incoming[name]), default=0)
        return layers[name]

    for name in names:
        place(name)
    return layers


def crossings(columns: Sequence[Sequence[str]], links: Sequence[Link]) -> int:
    """How many pairs of links between neighbouring columns cross."""
    at = {name: (c, i) for c, column in enumerate(columns) for i, name in enumerate(column)}
    by_gap: dict[int, list[tuple[int, int]]] = {}
    for source, target in links:
        by_gap.setdefault(at[source][0], []).append((at[source][1], at[target][1]))
    return sum((a[0] - b[0]) * (a[1] - b[1]) < 0 for gap in by_gap.values() for i, a in enumerate(gap) for b in gap[:i])


def _barycentre(column: list[str], neighbours: dict[str, list[str]], order: dict[str, int]) -> list[str]:
    def key(name: str) -> float:
        around = [order[other] for other in neighbours[name] if other in order]
        return sum(around) / len(around) if around else float(column.index(name))

    return sorted(column, key=key)


def _exchange(columns: list[list[str]], left: dict[str, list[str]], right: dict[str, list[str]]) -> None:
    """Neighbours change places while that lessens the crossings; only their own links can cross more or less by it."""
    place = {name: i for column in columns for i, name in enumerate(column)}

    def crossed(upper: str, lower: str) -> int:
        return sum(place[a] > place[b] for beside in (left, right) for a in beside[upper] for b in beside[lower])

    improved = True
    while improved:
        improved = False
        for column in columns:
            for i in range(len(column) - 1):
                upper, lower = column[i], column[i + 1]
                if crossed(lower, upper) < crossed(upper, lower):
                    column[i], column[i + 1] = lower, upper
                    place[lower], place[upper] = i, i + 1
                    improved = True


def order_columns(columns: list[list[str]], links: Sequence[Link]) -> list[list[str]]:
    """The columns reordered: barycentre sweeps both ways, then exchanges of neighbours while they help."""
    left: dict[str, list[str]] = {name: [] for column in columns for name in column}
    right: dict[str, list[str]] = {name: [] for column in columns for name in column}
    for source, target in links:
        right[source].append(target)
        left[target].append(source)
    best, fewest = [list(c) for c in columns], crossings(columns, links)
    current = [list(c) for c in columns]
    for sweep in range(12):
        if fewest == 0:
            break
        forward = sweep % 2 == 0
        numbers = range(1, len(current)) if forward else range(len(current) - 2, -1, -1)
        for number in numbers:
            beside = current[number - 1] if forward else current[number + 1]
            order = {name: i for i, name in enumerate(beside)}
            current[number] = _barycentre(current[number], left if forward else right, order)
        _exchange(current, left, right)
        count = crossings(current, links)
        if count < fewest:
            best, fewest = [list(c) for c in current], count
    return best
