"""Pockets, revisions and jobs."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "pockets",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("head", sa.Integer(), sa.ForeignKey("revisions.id", name="fk_head")),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created", sa.Float(), nullable=False),
        sa.Column("touched", sa.Float(), nullable=False),
    )
    op.create_table(
        "revisions",
        sa.Column("id", sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column("pocket", sa.String(), sa.ForeignKey("pockets.id", ondelete="CASCADE"), nullable=False),
        sa.Column("parent", sa.Integer()),
        sa.Column("redo", sa.Integer()),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("label", sa.String(), nullable=False),
        sa.Column("author", sa.String(), nullable=False),
        sa.Column("gesture", sa.String()),
        sa.Column("edit", sa.Text()),
        sa.Column("document", sa.LargeBinary(), nullable=False),
        sa.Column("created", sa.Float(), nullable=False),
    )
    op.create_index("ix_revisions_pocket_version", "revisions", ["pocket", "version"])
    op.create_table(
        "jobs",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("pocket", sa.String(), sa.ForeignKey("pockets.id", ondelete="CASCADE"), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("title", sa.String(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("step", sa.String(), nullable=False),
        sa.Column("progress", sa.Float(), nullable=False),
        sa.Column("message", sa.String(), nullable=False),
        sa.Column("detail", sa.Text(), nullable=False),
        sa.Column("cancel", sa.Boolean(), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("created", sa.Float(), nullable=False),
        sa.Column("updated", sa.Float(), nullable=False),
    )
    op.create_index("ix_jobs_pocket_updated", "jobs", ["pocket", "updated"])


def downgrade() -> None:
    for table in ("jobs", "revisions", "pockets"):
        op.drop_table(table)
