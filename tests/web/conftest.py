"""The page on a server of its own."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.conftest import Server


@pytest.fixture
def sheet(server: Server, page: Page) -> Iterator[Page]:
    """The page on an empty store; at the end it must have logged no error."""
    problems: list[str] = []
    page.on("console", lambda message: problems.append(message.text) if message.type == "error" else None)
    page.on("pageerror", lambda error: problems.append(str(error)))
    page.goto(server.url)
    expect(page.get_by_text("No imagery yet")).to_be_visible()
    yield page
    assert problems == []
