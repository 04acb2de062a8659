"""What the database holds: pockets with their revisions, and jobs. Audio lies beside it as files."""

from __future__ import annotations

from sqlalchemy import ForeignKey, Index, LargeBinary, Text
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


class Base(DeclarativeBase):
    pass


class PocketRow(Base):
    """A pocket and where in its history it stands. version counts every move of head, undo and redo too; binned: when it was put
    into the bin."""

    __tablename__ = "pockets"
    id: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    head: Mapped[int | None] = mapped_column(ForeignKey("revisions.id", use_alter=True, name="fk_head"))
    version: Mapped[int]
    created: Mapped[float]
    touched: Mapped[float]
    binned: Mapped[float | None] = mapped_column(default=None)


class RevisionRow(Base):
    """One state of a pocket. parent is what undo returns to, redo what redo goes on to; document names the pieces that it is
    made of (store/pieces), or is deflated JSON, as older programs wrote it."""

    __tablename__ = "revisions"
    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    pocket: Mapped[str] = mapped_column(ForeignKey("pockets.id", ondelete="CASCADE"))
    parent: Mapped[int | None]
    redo: Mapped[int | None]
    version: Mapped[int]
    label: Mapped[str]
    author: Mapped[str]
    gesture: Mapped[str | None]
    edit: Mapped[str | None] = mapped_column(Text)
    # Large, and mostly known already: read only where it is used.
    document: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    created: Mapped[float]
    __table_args__ = (Index("ix_revisions_pocket_version", "pocket", "version"),)


class PieceRow(Base):
    """A part of a document, which any number of revisions share. digest: of what is deflated in data."""

    __tablename__ = "pieces"
    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    digest: Mapped[bytes] = mapped_column(LargeBinary, unique=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class JobRow(Base):
    """Long work. state: queued, running, done, failed or cancelled; progress 0..1; message is for the musician."""

    __tablename__ = "jobs"
    id: Mapped[str] = mapped_column(primary_key=True)
    pocket: Mapped[str] = mapped_column(ForeignKey("pockets.id", ondelete="CASCADE"))
    kind: Mapped[str]
    title: Mapped[str]
    state: Mapped[str]
    step: Mapped[str] = mapped_column(default="")
    progress: Mapped[float] = mapped_column(default=0.0)
    message: Mapped[str] = mapped_column(default="")
    detail: Mapped[str] = mapped_column(Text, default="{}")
    cancel: Mapped[bool] = mapped_column(default=False)
    attempts: Mapped[int] = mapped_column(default=0)
    created: Mapped[float]
    updated: Mapped[float]
    __table_args__ = (Index("ix_jobs_pocket_updated", "pocket", "updated"),)


class ShelfRow(Base):
    """A favourite: belongs to no pocket. favourite: JSON of core.pocket.Favourite."""

    __tablename__ = "shelf"
    id: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    favourite: Mapped[str] = mapped_column(Text)
    created: Mapped[float]
