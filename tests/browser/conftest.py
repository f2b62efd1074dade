"""A page on a running Cravo; nothing may be asked of any other host, and nothing may go wrong unseen."""

from __future__ import annotations

from collections.abc import Iterator
from urllib.parse import urlsplit

import pytest
from playwright.sync_api import Page, expect

# A wait ends when the page says so. This limit is for what never comes about, however busy the machine is.
PATIENCE = 600_000
expect.set_options(timeout=PATIENCE)


@pytest.fixture
def at(page: Page, cravo: str) -> Iterator[Page]:
    """The shelf, opened."""
    foreign, faults = [], []
    page.on("request", lambda asked: foreign.append(asked.url) if not _ours(asked.url, cravo) else None)
    page.on("pageerror", lambda error: faults.append(str(error)))
    page.on("response", lambda answer: faults.append(answer.url) if answer.status >= 500 else None)
    page.set_default_timeout(PATIENCE)
    page.goto(cravo)
    yield page
    assert foreign == []
    assert faults == []


def _ours(url: str, cravo: str) -> bool:
    return urlsplit(url).netloc == urlsplit(cravo).netloc or url.startswith(("data:", "blob:"))
