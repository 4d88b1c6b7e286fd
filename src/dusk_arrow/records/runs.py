"""Runs on record: found, moved on, with their finished chunks; whoever listens is told of every change."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import delete, func, or_, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from dusk_arrow.records.tables import ChunkRow, RunRow, now

OPEN = ("waiting", "running")
CHANNEL = "runs"
STOPPED = "The run was stopped; nothing of it was kept."


def answering_run(session: Session, model_id: int, key: str) -> RunRow | None:
    """A model's newest run of just this analysis that has finished or is under way."""
    alike = select(RunRow).where(
        RunRow.model_id == model_id, RunRow.key == key, RunRow.asked.is_(None), RunRow.state.in_(["finished", *OPEN])
    )
    return session.scalars(alike.order_by(RunRow.id.desc()).limit(1)).first()


def latest_run(session: Session, model_id: int, estimation: str, unfinished: bool = False) -> RunRow | None:
    """A model's finished run that was asked for last and resamples just this estimation; one that is under way too where its
    results so far will do."""
    ready = RunRow.state == "finished"
    if unfinished:
        ready = or_(ready, RunRow.state.in_(OPEN) & (RunRow.so_far > 0))
    found = select(RunRow).where(RunRow.model_id == model_id, RunRow.estimation == estimation, ready)
    return session.scalars(found.order_by(RunRow.created.desc()).limit(1)).first()


def last_finished(session: Session, model_id: int) -> RunRow | None:
    """The run of a model that was finished last, whatever the model was then."""
    done = select(RunRow).where(RunRow.model_id == model_id, RunRow.state == "finished")
    return session.scalars(done.order_by(RunRow.id.desc()).limit(1)).first()


def open_runs(session: Session, model_id: int | None = None) -> Sequence[RunRow]:
    """Runs that wait or are under way, the first to come first; of one model or of all."""
    found = select(RunRow).where(RunRow.state.in_(OPEN)).order_by(RunRow.id)
    return session.scalars(found if model_id is None else found.where(RunRow.model_id == model_id)).all()


def others_wait(session: Session, run_id: int) -> bool:
    """Whether another run waits for its turn."""
    waiting = select(RunRow.id).where(RunRow.state == "waiting", RunRow.id != run_id).limit(1)
    return session.scalars(waiting).first() is not None


def update(session: Session, run: RunRow, **values: object) -> None:
    """Changes what is on record of a run, and tells whoever listens once that is committed."""
    for name, value in values.items():
        setattr(run, name, value)
    session.flush()
    session.execute(select(func.pg_notify(CHANNEL, str(run.id))))


def end(session: Session, run: RunRow, state: str, message: str | None, **values: object) -> None:
    """Ends a run: it is no longer open, and its chunks and what was kept so far are gone but for `results` among the values."""
    closed = {"state": state, "message": message, "finished": now(), "results": None, "so_far": 0, "seconds_left": None}
    update(session, run, **(closed | values))
    forget_chunks(session, run.id)


@dataclass(frozen=True)
class Chunk:
    """A finished chunk: its number among the resamples or in the jackknife, its size, and its arrays."""

    jackknife: bool
    number: int
    size: int
    content: bytes


def keep_chunks(session: Session, run_id: int, made_by: str, chunks: Sequence[Chunk]) -> None:
    """Keeps finished chunks; one that is there already is written anew."""
    for chunk in chunks:
        values = {"size": chunk.size, "made_by": made_by, "content": chunk.content}
        key = {"run_id": run_id, "jackknife": chunk.jackknife, "number": chunk.number}
        put = insert(ChunkRow).values(**key, **values)
        session.execute(put.on_conflict_do_update(index_elements=list(key), set_=values))


def kept_chunks(session: Session, run_id: int, made_by: str) -> dict[tuple[bool, int], int]:
    """The size of every finished chunk that this version of the program made, by kind and number."""
    found = select(ChunkRow).where(ChunkRow.run_id == run_id, ChunkRow.made_by == made_by)
    return {(row.jackknife, row.number): row.size for row in session.scalars(found)}


def chunk_content(session: Session, run_id: int, jackknife: bool, number: int) -> bytes:
    """The arrays of a finished chunk."""
    return session.get_one(ChunkRow, (run_id, jackknife, number)).content


def forget_chunks(session: Session, run_id: int) -> None:
    """Removes the chunks of a run that has ended."""
    session.execute(delete(ChunkRow).where(ChunkRow.run_id == run_id))
