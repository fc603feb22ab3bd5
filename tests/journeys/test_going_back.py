"""A logbook that was spoilt: what is damaged is said, the rest goes on, and a copy of the day
brings it back.
"""

import contextlib
import sqlite3

from desktop import Program, home_with_demo


def test_the_logbook_goes_back_to_the_copy_of_the_day(demo):
    demo.key("ctrl+n")
    demo.until(lambda: demo.state()["build"] == "New drive r1", "a build is begun")
    demo.menu("Logbook", "Restore a backup")
    demo.until(lambda: demo.state()["dialog"] == "Restore a backup", "it asks which")
    demo.press("Restore")
    demo.until(
        lambda: "The logbook is restored to" in demo.state()["message"], "it says what it did"
    )
    assert not demo.rows("SELECT id FROM builds WHERE family = 'New drive'")
    assert demo.state()["build"].startswith("Dunnock")
    assert not demo.widgets("r1 New drive")
    demo.page("Results")
    demo.until(lambda: demo.state()["has_result"], "results are there")


def test_a_spoilt_row_is_named_and_the_rest_is_there(screen, demo_home, tmp_path):
    home = home_with_demo(demo_home, tmp_path / "home")
    (database,) = home.rglob("logbook.sqlite")
    with contextlib.closing(sqlite3.connect(database)) as db:
        newest = "(SELECT id FROM tests ORDER BY created DESC LIMIT 1)"  # it is opened with
        (spoilt,) = db.execute(f"SELECT max(id) FROM runs WHERE test_id = {newest}").fetchone()
        db.execute(
            "UPDATE runs SET record = replace(record, 'sparring.run/1', 'sparring.ruN/1')"
            f" WHERE id = {spoilt}"
        )
        db.commit()
    demo = Program(screen, home, "demo")
    try:
        demo.until(
            lambda: f"omitted: run {spoilt}" in demo.state()["message"], "it names what is damaged"
        )
        demo.item("Builds and tests", "r2 POM, greased")
        demo.until(
            lambda: demo.state()["has_result"] and demo.state()["build"] == "Dunnock r2",
            "another test is as it was",
        )
    finally:
        demo.close()
