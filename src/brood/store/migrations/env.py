"""How alembic runs the migrations of one database file, given as the attribute `path`."""

from alembic import context

from brood.store.base import Table
from brood.store.engine import migration_engine

engine = migration_engine(context.config.attributes["path"])
with engine.connect() as connection:
    context.configure(
        connection=connection,
        target_metadata=Table.metadata,
        render_as_batch=True,
        transactional_ddl=True,
        transaction_per_migration=True,
    )
    with context.begin_transaction():
        context.run_migrations()
        broken = connection.exec_driver_sql("PRAGMA foreign_key_check").fetchall()
        if broken:
            raise RuntimeError(f"a migration broke {len(broken)} references")
engine.dispose()
