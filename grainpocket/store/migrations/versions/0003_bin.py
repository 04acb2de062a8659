"""When a pocket was put into the bin."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.add_column("pockets", sa.Column("binned", sa.Float(), nullable=True))


def downgrade() -> None:
    op.drop_column("pockets", "binned")
