"""The queue's own tables; apart from the queue, so that who only starts Cravo need not load what works in it."""

from __future__ import annotations

from procrastinate import App, SyncPsycopgConnector


def prepare(url: str) -> None:
    """Make them where they are missing."""
    with App(connector=SyncPsycopgConnector(conninfo=url)).open() as app:
        if not app.check_connection():
            app.schema_manager.apply_schema()
