"""The tables of the records: projects, data sets, models, their revisions, and runs."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import DateTime, ForeignKey, LargeBinary, Text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


def now() -> datetime:
    """The time of a record."""
    return datetime.now(UTC)


class Base(DeclarativeBase):
    """Base of all tables."""

    type_annotation_map = {dict[str, Any]: JSONB, list[Any]: JSONB, datetime: DateTime(timezone=True)}


class ProjectRow(Base):
    """A study: its data, its models, and whose cut-offs it follows. Removing one only sets the time it was put away."""

    __tablename__ = "projects"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(Text)
    created: Mapped[datetime] = mapped_column(default=now)
    removed: Mapped[datetime | None]
    demo: Mapped[str | None] = mapped_column(Text, unique=True)
    data_version_id: Mapped[int | None] = mapped_column(ForeignKey("data_versions.id", use_alter=True))
    criteria: Mapped[dict[str, Any]] = mapped_column(default=dict)


class DataSetRow(Base):
    """An imported file, never changed: columns as Parquet bytes (or a matrix as JSON), what is known of them, what was
    noticed on import, and the file itself with the options it was read with (null where an earlier version imported it)."""

    __tablename__ = "data_sets"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(Text)
    content: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    columns: Mapped[list[Any]]
    problems: Mapped[list[Any]]
    n_cases: Mapped[int]
    kind: Mapped[str] = mapped_column(Text, default="cases")
    original: Mapped[bytes | None] = mapped_column(LargeBinary, deferred=True)
    reading: Mapped[dict[str, Any] | None]
    created: Mapped[datetime] = mapped_column(default=now)


class DataVersionRow(Base):
    """An imported file with the steps recorded on top of it, never changed; its fingerprint is that of the outcome (empty where
    an earlier version made it, until it is made anew)."""

    __tablename__ = "data_versions"
    id: Mapped[int] = mapped_column(primary_key=True)
    data_set_id: Mapped[int] = mapped_column(ForeignKey("data_sets.id", ondelete="CASCADE"), index=True)
    steps: Mapped[list[Any]]
    words: Mapped[str] = mapped_column(Text)
    n_cases: Mapped[int]
    n_columns: Mapped[int]
    fingerprint: Mapped[str] = mapped_column(Text)
    created: Mapped[datetime] = mapped_column(default=now)


class ModelRow(Base):
    """A model: its head revision, where redo leads from each revision, positions pinned by hand, how it is looked at, and what its
    report holds; the last two count their changes."""

    __tablename__ = "models"
    id: Mapped[int] = mapped_column(primary_key=True)
    project_id: Mapped[int] = mapped_column(ForeignKey("projects.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(Text)
    pins: Mapped[dict[str, Any]] = mapped_column(default=dict)
    view: Mapped[dict[str, Any]] = mapped_column(default=dict)
    view_version: Mapped[int] = mapped_column(default=0)
    report: Mapped[dict[str, Any]] = mapped_column(default=dict)
    report_version: Mapped[int] = mapped_column(default=0)
    onward: Mapped[dict[str, Any]] = mapped_column(default=dict)
    head_id: Mapped[int | None] = mapped_column(ForeignKey("revisions.id", use_alter=True))
    removed: Mapped[datetime | None]


class RevisionRow(Base):
    """One state of a model: the whole specification as sentences, settings, data, and what led to it, none of which ever
    changes; its reason, name, note and what prompted it (`own` idea or these `data`) can be edited, and `figures` are
    kept once they were computed."""

    __tablename__ = "revisions"
    id: Mapped[int] = mapped_column(primary_key=True)
    model_id: Mapped[int] = mapped_column(ForeignKey("models.id", ondelete="CASCADE"), index=True)
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("revisions.id"))
    specification: Mapped[str] = mapped_column(Text)
    changes: Mapped[list[Any]]
    words: Mapped[str] = mapped_column(Text)
    reason: Mapped[str | None] = mapped_column(Text)
    name: Mapped[str | None] = mapped_column(Text)
    note: Mapped[str | None] = mapped_column(Text)
    prompted: Mapped[str] = mapped_column(Text, default="own")
    figures: Mapped[dict[str, Any] | None]
    settings: Mapped[dict[str, Any]]
    data_version_id: Mapped[int] = mapped_column(ForeignKey("data_versions.id"))
    created: Mapped[datetime] = mapped_column(default=now)


class RunRow(Base):
    """One estimation with its settings: `key` is the identity of the analysis with its resamples, `estimation` that of the same
    without any (empty where an earlier version ran it). While it is open (`waiting`,
    `running`) it says how far it is, what the user asked of it (`stop`, `keep`), and its results so far with the number of
    resamples they rest on; when it has finished, its results."""

    __tablename__ = "runs"
    id: Mapped[int] = mapped_column(primary_key=True)
    model_id: Mapped[int] = mapped_column(ForeignKey("models.id", ondelete="CASCADE"), index=True)
    revision_id: Mapped[int] = mapped_column(ForeignKey("revisions.id", ondelete="CASCADE"), index=True)
    key: Mapped[str] = mapped_column(Text, index=True)
    estimation: Mapped[str] = mapped_column(Text, index=True, default="")
    settings: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(Text)
    asked: Mapped[str | None] = mapped_column(Text)
    done: Mapped[int] = mapped_column(default=0)
    requested: Mapped[int]
    seconds_left: Mapped[float | None]
    results: Mapped[dict[str, Any] | None] = mapped_column(deferred=True)
    so_far: Mapped[int] = mapped_column(default=0)
    message: Mapped[str | None] = mapped_column(Text)
    created: Mapped[datetime] = mapped_column(default=now)
    finished: Mapped[datetime | None]


class ChunkRow(Base):
    """A finished chunk of an open run, as arrays (.npz): by its number among the resamples or in the jackknife, its size, and
    the version of the program that made it. Gone when the run has ended."""

    __tablename__ = "run_chunks"
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True)
    jackknife: Mapped[bool] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    size: Mapped[int]
    made_by: Mapped[str] = mapped_column(Text)
    content: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class PublishedReportRow(Base):
    """A finished report as a page that never changes, at an address of its own."""

    __tablename__ = "published_reports"
    id: Mapped[int] = mapped_column(primary_key=True)
    address: Mapped[str] = mapped_column(Text, unique=True)
    model_id: Mapped[int] = mapped_column(ForeignKey("models.id", ondelete="CASCADE"), index=True)
    title: Mapped[str] = mapped_column(Text)
    page: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    created: Mapped[datetime] = mapped_column(default=now)
