"""The literature that a report cites: found in its texts, listed in full, and as BibTeX."""

from __future__ import annotations

import csv
import re
import unicodedata
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

NAME = r"[A-ZÖÜÄ][\w'’-]{1,40}+"
CITATION = re.compile(  # begins at the beginning of a word and goes on for a few names of bounded length, so that no text takes long
    rf"(?<!\w)(?<!\w['’-])(?:{NAME}(?: [A-Z][\w'’-]{{1,40}}+){{0,4}}, ){{0,8}}{NAME}(?: & {NAME})?,? \(?(?:19|20)\d\d[a-z]?\)?"
)


@dataclass(frozen=True)
class Reference:
    """A published work: how it is `cited`, its authors (`Name, I.`), and where it stands."""

    cited: str
    kind: str
    authors: tuple[str, ...]
    year: str
    title: str
    within: str
    volume: str
    pages: str
    doi: str = ""

    @property
    def text(self) -> str:
        """The entry of a reference list."""
        names = list(self.authors)
        who = names[0] if len(names) == 1 else f"{', '.join(names[:-1])}, & {names[-1]}"
        head = f"{who} ({self.year}). {self.title}."
        if self.kind == "article":
            return f"{head} {self.within}, {self.volume}, {self.pages}.{f' https://doi.org/{self.doi}' if self.doi else ''}"
        if self.kind == "chapter":
            return f"{head} In {self.within} (pp. {self.pages}). {self.volume}."
        return f"{head} {self.within or self.volume}."

    @property
    def bibtex(self) -> str:
        """The entry as BibTeX."""
        kind = {"article": "article", "chapter": "incollection", "book": "book", "talk": "misc"}[self.kind]
        volume, _, number = self.volume.rstrip(")").partition("(")
        fields = {"author": " and ".join(self.authors), "title": f"{{{self.title}}}", "year": self.year}
        if self.kind == "article":
            fields |= {
                "journal": self.within,
                "volume": volume,
                "number": number,
                "pages": self.pages.replace("–", "--"),
            }
        elif self.kind == "chapter":
            fields |= {"note": f"In {self.within}", "publisher": self.volume, "pages": self.pages.replace("–", "--")}
        elif self.kind == "book":
            fields |= {"publisher": self.volume}
        else:
            fields |= {"howpublished": self.within}
        fields |= {"doi": self.doi} if self.doi else {}
        lines = ",\n".join(
            f"  {name} = {{{value.replace('&', chr(92) + '&')}}}" for name, value in fields.items() if value
        )
        return f"@{kind}{{{self.key},\n{lines}\n}}\n"

    @property
    def key(self) -> str:
        """The key of the entry: first author, year, and the first letters of the other authors."""
        names = [unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode() for name in self.authors]
        first = re.sub(r"[^A-Za-z]", "", names[0].partition(",")[0]).lower()
        return f"{first}{self.year}{''.join(name[0] for name in names[1:]).lower()}"


@cache
def literature() -> dict[str, Reference]:
    """Every work that can be cited, by how it is."""
    text = (files("dusk_arrow.report") / "literature.tsv").read_text(encoding="utf-8")
    rows = csv.DictReader(text.splitlines(), delimiter="\t", quoting=csv.QUOTE_NONE)
    found = (
        Reference(
            row["cited"], row["kind"], tuple(row["authors"].split("; ")), row["year"], row["title"], row["within"], row["volume"], row["pages"],
            row["doi"] or "",
        )
        for row in rows
    )  # fmt: skip
    return {one.cited: one for one in found}


def citations(text: str) -> list[str]:
    """The citations in a text, in the form `Hu & Bentler (1999)`."""
    return [re.sub(r"(?:'s)?,? \(?(\d{4}[a-z]?)\)?$", r" (\1)", found) for found in CITATION.findall(text)]


def cited(texts: Iterable[str]) -> list[Reference]:
    """The works that texts cite, in the order of their authors."""
    found = {name for text in texts for name in citations(text)}
    works = [literature()[name] for name in found if name in literature()]
    return sorted(works, key=lambda one: (unicodedata.normalize("NFKD", " ".join(one.authors)).casefold(), one.year))


def within(source: str) -> str:
    """A source as it stands inside brackets: `Hu & Bentler, 1999`."""
    return re.sub(r" \((\d{4}[a-z]?)\)", r", \1", source)
