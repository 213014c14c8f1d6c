"""The columns of a block are its schema, as everywhere in the trade; a layout is an arrangement of strips. A verdict
has the time
when it was decided.
"""

import re

from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None

_TABLES = ("columns", "blocks", "damage", "scrubs")
_CONSTRAINTS = {
    "schemas": ("layouts_pkey", "layouts_digest_key", "layouts_host_id_fkey"),
    "columns": ("columns_layout_fkey",),
}
_FUNCTIONS = (
    "select oid::regprocedure::text, pg_get_functiondef(oid) from pg_proc where pronamespace = 'public'::regnamespace"
)


def upgrade() -> None:
    op.rename_table("layouts", "schemas")
    for table in _TABLES:
        op.alter_column(table, "layout_id", new_column_name="schema_id")
    for table, names in _CONSTRAINTS.items():
        for name in names:
            op.execute(f"alter table {table} rename constraint {name} to {name.replace('layout', 'schema')}")
    op.execute("alter sequence if exists layouts_id_seq rename to schemas_id_seq")
    _rewrite_functions("layout", "schema")
    op.alter_column("verdicts", "told_ns", new_column_name="decided_ns")
    op.execute("update archives set source = 'simulated' where source = 'made up'")


def downgrade() -> None:
    op.execute("update archives set source = 'made up' where source = 'simulated'")
    op.alter_column("verdicts", "decided_ns", new_column_name="told_ns")
    _rewrite_functions("schema", "layout")
    op.execute("alter sequence if exists schemas_id_seq rename to layouts_id_seq")
    for table, names in _CONSTRAINTS.items():
        for name in names:
            op.execute(f"alter table {table} rename constraint {name.replace('layout', 'schema')} to {name}")
    for table in _TABLES:
        op.alter_column(table, "schema_id", new_column_name="layout_id")
    op.rename_table("schemas", "layouts")


def _rewrite_functions(old: str, new: str) -> None:
    """Create again, with the new names, every function that uses the old ones."""
    for signature, definition in op.get_bind().exec_driver_sql(_FUNCTIONS).all():
        if old in definition:
            op.execute(f"drop function {signature}")
            op.get_bind().exec_driver_sql(re.sub(old, new, definition).replace("%", "%%"))
