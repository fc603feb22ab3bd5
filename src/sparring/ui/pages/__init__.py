"""The pages in the order of the job. A new page is a folder here and a line in PAGES."""

from __future__ import annotations

from sparring.ui.page import Page
from sparring.ui.pages import build, compare, plan, results, rig, run, wear

PAGES: tuple[Page, ...] = (
    build.PAGE,
    rig.PAGE,
    plan.PAGE,
    run.PAGE,
    results.PAGE,
    wear.PAGE,
    compare.PAGE,
)
