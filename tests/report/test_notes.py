"""The note of a report: emphasis and lists in every format, and asterisks that are only asterisks."""

import io
from datetime import date

import docx
import pytest

from vettore.demo.study import demo_study
from vettore.report.document import report_document
from vettore.report.notes import NoteBlock, Span, note_blocks
from vettore.report.renderers.docx import docx as as_docx
from vettore.report.renderers.html import html
from vettore.report.renderers.latex import latex
from vettore.report.renderers.markdown import markdown
from vettore.study import edits

NOTE = "Sampled at *low water* by <b>two</b>.\n\n- first, a*b*c and 2 * 3 * 4\n• second: *really*\n100% & $5"


def spans(*texts):
    return tuple(Span(text.strip("*"), text.startswith("*")) for text in texts)


def test_a_note_is_paragraphs_and_lists_of_spans():
    """What stands between asterisks that touch it is emphasised; products and lone asterisks are not."""
    assert note_blocks(NOTE) == (
        NoteBlock((spans("Sampled at ", "*low water*", " by <b>two</b>."),)),
        NoteBlock((spans("first, a*b*c and 2 * 3 * 4"), spans("second: ", "*really*")), True),
        NoteBlock((spans("100% & $5"),)),
    )
    assert note_blocks("") == ()
    assert note_blocks("-5 degrees") == (NoteBlock((spans("-5 degrees"),)),)
    assert note_blocks("**bold** and * and *a") == (NoteBlock(((Span("**bold** and * and *a"),),)),)


@pytest.fixture(scope="module")
def document():
    study = demo_study()
    left_out = ("figure", "working", "checks", "goodness")
    return report_document(
        edits.set_report(study, study.report.changed(note=NOTE, left_out=left_out)), date(2026, 6, 5)
    )


def test_every_format_writes_it_as_its_own(document):
    """Escaped, emphasised and listed."""
    page = html(document)
    assert '<p class="note">Sampled at <em>low water</em> by &lt;b&gt;two&lt;/b&gt;.</p>' in page
    assert '<ul class="note"><li>first, a*b*c and 2 * 3 * 4</li><li>second: <em>really</em></li></ul>' in page
    tex = latex(document, "r")[""].decode()
    assert r"Sampled at \emph{low water} by" in tex
    assert "\\begin{itemize}\n\\item first" in tex
    assert r"100\% \& \$5" in tex
    text = markdown(document, "r")[""].decode()
    assert "Sampled at *low water* by" in text
    assert "\n- second: *really*\n" in text
    word = docx.Document(io.BytesIO(as_docx(document)))
    (listed,) = [one for one in word.paragraphs if one.text.startswith("second")]
    assert listed.style.name == "List Bullet"
    assert [(run.text, bool(run.italic)) for run in listed.runs] == [("second: ", False), ("really", True)]


def test_sections_stand_where_they_are_put_with_their_own_titles_and_words():
    """Those that are not named follow their usual neighbour; a formula in the words is typeset in every format."""
    study = demo_study()
    recipe = study.report.changed(
        left_out=("figure", "working"),
        order=("repeat", "no such section", "checks", "summary"),
        titles=(("checks", "What was <looked> for"),),
        notes=(("checks", "A rating `Q = c*h^n/(1 + k)`\n- and `not (a formula`"),),
    )
    made = report_document(edits.set_report(study, recipe), date(2026, 6, 5))
    keys = [section.key for section in made.sections]
    assert keys[0] == "repeat"
    assert keys.index("checks") < keys.index("readings") < keys.index("summary") < keys.index("source")
    section = made.section("checks")
    assert section.title == "What was <looked> for"
    first, second = section.blocks[:2]
    assert second == NoteBlock(((Span("and "), Span("not (a formula")),), True)
    assert first.lines[0][1].box is not None
    page = html(made)
    assert ">What was &lt;looked&gt; for</h2>" in page
    noted = page[page.index('<p class="note">A rating') :]
    assert "<mfrac>" in noted[: noted.index("</p>")]
    for text in (latex(made, "r")[""], markdown(made, "r")[""]):
        assert r"\frac{" in text.decode().split("A rating $")[1].split("$")[0]
    word = docx.Document(io.BytesIO(as_docx(made)))
    (noted,) = [one for one in word.paragraphs if one.text.startswith("A rating")]
    assert "<m:f>" in noted._p.xml
