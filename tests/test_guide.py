"""The guide: its chapters are there, its links lead somewhere, and it knows every finding."""

import re
import subprocess
import sys
from pathlib import Path

import pytest

from sparring import guide
from sparring.ui.page import Page
from sparring.ui.pages import PAGES

ROOT = Path(__file__).parents[1]
sys.path.insert(0, str(ROOT / "tools"))

import findings as findings_page  # noqa: E402


@pytest.mark.parametrize("name", [name for name, _ in guide.CHAPTERS])
def test_a_chapters_links_and_pictures_lead_somewhere(name):
    names = {chapter for chapter, _ in guide.CHAPTERS}
    for place in re.findall(r"\]\(([^)]+)\)", guide.chapter(name)):
        path, _, anchor = place.partition("#")
        if path.endswith(".md"):
            assert path.removesuffix(".md") in names, place
            assert not anchor or anchor in guide.anchors(path.removesuffix(".md")), place
        else:
            assert (guide.FOLDER / path).is_file(), place
    html = guide.html(name)
    assert "<h1>" in html
    assert "{#" not in html


def test_every_chapter_is_listed_and_every_page_has_one():
    files = {path.stem for path in guide.FOLDER.glob("*.md")}
    assert files == {name for name, _ in guide.CHAPTERS}
    for page in PAGES:
        assert isinstance(page, Page)
        assert page.id in files
    site = (ROOT / "mkdocs.yml").read_text(encoding="utf-8")
    assert all(f"guide/{name}.md" in site for name in files)


def test_the_chapter_of_findings_is_that_of_the_rules():
    assert guide.chapter("findings") == findings_page.page(), "run make findings"


def test_every_finding_has_its_place_in_the_guide():
    docs = (ROOT / "docs" / "formats.md").read_text(encoding="utf-8")
    listed = re.findall(r"^- On [^:]+: (.*)$", docs, re.MULTILINE)
    ids = {id for line in listed for id in re.findall(r"`([a-z0-9-]+)`", line)}
    assert len(ids) > 90
    assert ids <= set(guide.anchors("findings"))


@pytest.mark.whole
def test_the_site_is_built_without_a_warning(tmp_path):
    built = subprocess.run(
        [sys.executable, "-m", "mkdocs", "build", "--strict", "--site-dir", str(tmp_path / "site")],
        cwd=ROOT,
        capture_output=True,
        text=True,
        timeout=110,
    )
    assert built.returncode == 0, built.stderr
    assert "WARNING" not in built.stderr
    page = (tmp_path / "site" / "guide" / "findings.html").read_text(encoding="utf-8")
    assert 'id="drop-at-last-weights"' in page
    assert (tmp_path / "site" / "reference" / "train.html").stat().st_size > 50_000
