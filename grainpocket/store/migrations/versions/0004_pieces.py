"""Parts of documents that revisions share."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "pieces",
        sa.Column("id", sa.Integer(), primary_key=True, autoincrement=True),
        sa.Column("digest", sa.LargeBinary(), nullable=False, unique=True),
        sa.Column("data", sa.LargeBinary(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("pieces")
