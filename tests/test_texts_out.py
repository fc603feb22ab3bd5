"""What goes out as text: JSON that any reader takes, and tables that no spreadsheet runs."""

import json
import math

from helpers import ROOT
from hypothesis import example, given
from hypothesis import strategies as st

from sparring.files import json_text
from sparring.files.table_files import as_shown, as_written, lines_of

_documents = st.recursive(
    st.none() | st.booleans() | st.floats() | st.integers() | st.text(),
    lambda inner: st.lists(inner) | st.dictionaries(st.text(), inner) | st.tuples(inner),
    max_leaves=20,
)


def _no_constant(name):
    raise ValueError(name)


@given(_documents, st.booleans())
def test_every_document_is_strict_json(document, line):
    text = json_text.text_of(document, line=line)
    again = json.loads(text, parse_constant=_no_constant)
    assert json_text.text_of(again, line=line) == text
    assert not line or "\n" not in text


def test_no_figure_is_null():
    text = json_text.text_of({"a": [math.nan, math.inf, (1.5, -math.inf)]}, line=True)
    assert text == '{"a": [null, null, [1.5, null]]}'


def test_commands_print_json_by_that_writer_alone():
    for file in (ROOT / "src/sparring/cli").glob("*.py"):
        text = file.read_text(encoding="utf-8").replace("from_json(json.dumps(", "")
        assert "json.dumps" not in text, file


@given(st.text())
@example("=1+1")
@example("'=1+1")
@example("+49 30")
@example("-2 teeth broke")
@example("@home")
@example("\tx")
def test_a_cell_is_shown_by_a_spreadsheet_and_reads_back(text):
    shown = as_shown(text)
    assert as_written(shown) == text
    if text[:1] in ("=", "@", "\t", "\r"):
        assert shown.startswith("'")


def test_figures_stay_figures():
    for text in ("-5", "-0.5 ± 0.1 N·m", "+12 V", "-1e-3", "5 turns"):
        assert as_shown(text) == text
    for text in ("-1+1|cmd", "-2 teeth broke, =x", "+SUM(A1)"):
        assert as_shown(text) == f"'{text}"


def test_a_table_reads_back_what_was_quoted(tmp_path):
    (tmp_path / "t.csv").write_text("broke,a\n'=cmd,1\n'twas,2\n")
    assert [cells for _, cells in lines_of(tmp_path / "t.csv")][1:] == [
        ["=cmd", "1"],
        ["'twas", "2"],
    ]
