"""The shelf of favourites."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.create_table(
        "shelf",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("favourite", sa.Text(), nullable=False),
        sa.Column("created", sa.Float(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("shelf")
