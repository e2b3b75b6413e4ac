"""Pages opened from a file in a browser without a screen; tests that ask for one are skipped where there is none."""

import shutil
from contextlib import contextmanager
from pathlib import Path

import pytest

PROGRAM = shutil.which("chromium") or shutil.which("chromium-browser")
needs_browser = pytest.mark.skipif(PROGRAM is None, reason="no chromium here: apt-get install chromium")
_WAYS = [
    "--no-sandbox",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-quic",
    "--no-first-run",
    "--enable-unsafe-swiftshader",
]


class Opened:
    """A page, with what it said and asked for while it was open."""

    def __init__(self, page):
        self.page, self.said, self.asked = page, [], []
        page.on("console", lambda m: self.said.append(m.text) if m.type == "error" else None)
        page.on("pageerror", lambda e: self.said.append(e.message))
        page.on("request", lambda r: self.asked.append(r.url))

    def __call__(self, script):
        return self.page.evaluate(script)

    @property
    def outside(self):
        """What was asked for besides the file itself."""
        return [url for url in self.asked if not url.startswith(("file:", "data:", "blob:"))]

    def saved(self, click):
        """What a click saves: its name and bytes."""
        with self.page.expect_download() as waiting:
            click()
        return waiting.value.suggested_filename, Path(waiting.value.path()).read_bytes()


@contextmanager
def browser():
    """Something that opens pages: path and size in, `Opened` out."""
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        program = playwright.chromium.launch(executable_path=PROGRAM, args=_WAYS)

        def open_page(path, size=(1280, 800), **how):
            context = program.new_context(viewport={"width": size[0], "height": size[1]}, **how)
            opened = Opened(context.new_page())
            opened.page.goto(path.as_uri())
            opened.page.wait_for_selector("html[data-ready]", timeout=60_000)
            return opened

        yield open_page
        program.close()
