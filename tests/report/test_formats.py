"""A report in formats that are edited: Markdown, LaTeX and Word hold what the neutral blocks say, whatever names hold."""

import io
import re
import shutil
import subprocess
from datetime import date

import docx as word
import pytest

from vettore import core
from vettore.core.typesetting.typeset import Box
from vettore.demo.study import demo_study
from vettore.report import blocks
from vettore.report.document import report_document
from vettore.report.renderers.docx import docx
from vettore.report.renderers.latex import latex
from vettore.report.renderers.listed import FORMATS
from vettore.report.renderers.markdown import markdown
from vettore.report.save import save_report
from vettore.report.sections.listed import SECTIONS
from vettore.study import edits
from vettore.study.derive import derive_fit
from vettore.study.surfaces import set_surface, surface_of

AWKWARD = "a*b_c|d <e> $x$ \\f{g} 100 % #1 & ^~ [h](i) “ß” \x07"


def study_named(name="Weir", title=""):
    study = demo_study()
    curve = study.reported_curve
    series = next(series for series in study.series if series.name == "Nitrate, reed bed")
    study = set_surface(study, surface_of(study, series.id).changed(method="linear", shape=(20, 20)))
    study = edits.rename_series(study, curve.series, name)
    return edits.set_report(study, study.report.changed(title=title, note=name, left_out=("working",)))


@pytest.fixture(scope="module")
def document():
    return report_document(study_named(AWKWARD, AWKWARD), date(2026, 6, 1))


def tables_of(document):
    return [block for section in document.sections for block in section.blocks if isinstance(block, blocks.Table)]


def figures_of(document):
    return [block for section in document.sections for block in section.blocks if isinstance(block, blocks.Figure)]


def test_markdown_has_every_table_figure_and_text(document):
    """Cells are parted by bars that no name adds to; figures stand beside it under the names that it gives them."""
    files = markdown(document, "my report")
    text = files[""].decode()
    lines = text.splitlines()
    rows = [line for line in lines if line.startswith("| ")]
    assert len(rows) == sum(len(table.rows) + 2 for table in tables_of(document))
    whole = iter(rows)
    for table in tables_of(document):
        width = len(table.rows[0])
        for _ in range(len(table.rows) + 2):
            assert len(re.findall(r"(?<!\\)\|", next(whole))) == width + 1
    named = re.findall(r"!\[.*\]\(<my report(.*)>\)", text)
    assert sorted(named) == sorted(ending for ending in files if ending)
    assert len(named) == len(figures_of(document)) == 2
    assert all(files[ending].startswith(b"<svg") for ending in named)
    assert "$$\\mathrm{discharge} = a_{0}" in text
    assert r"a\*b\_c\|d \<e\> \$x\$" in lines[0]


def test_latex_is_whole(document):
    """Braces and environments close, tables have equal columns, nothing is left that a usual installation cannot set."""
    files = latex(document, "my report")
    text = files[""].decode()
    plain = re.sub(r"\\[\\{}&%$#_]", "", text)
    assert plain.count("{") == plain.count("}")
    opened = []
    for kind, name in re.findall(r"\\(begin|end)\{(\w+)\}", text):
        if kind == "begin":
            opened.append(name)
        else:
            assert opened.pop() == name
    assert not opened
    body = text[text.index(r"\begin{document}") :]
    odd = {mark for mark in body if ord(mark) > 127}
    # Latin letters are in every typeface.
    assert {mark for mark in odd if not mark.isalpha()} == set()
    for rows in re.findall(r"\\toprule\n(.*?)\\bottomrule", text, re.DOTALL):
        counts = {len(re.findall(r"(?<!\\)&", line)) for line in rows.splitlines() if line.endswith(r"\\")}
        assert len(counts) == 1
    assert r"a*b\_c|d <e> \$x\$ \textbackslash{}f\{g\} 100 \% \#1 \& \textasciicircum{}\textasciitilde{}" in text
    for ending in re.findall(r"\\detokenize\{my report(.*?)\}", text):
        assert files[ending].startswith(b"%PDF")


def test_a_word_document_reads_back_with_the_same_cells(document):
    """Tables cell by cell, symbols and the equation as mathematics, pictures with their words, headings as styles."""
    read = word.Document(io.BytesIO(docx(document)))
    assert read.paragraphs[0].style.name == "Title"
    headings = [p.text for p in read.paragraphs if p.style.name == "Heading 1"]
    assert headings == [section.title for section in document.sections if section.title]
    kinds = (blocks.Table, blocks.Pairs)
    kept = [block for section in document.sections for block in section.blocks if isinstance(block, kinds)]
    assert len(read.tables) == len(kept)
    for table, block in zip(read.tables, kept, strict=True):
        if isinstance(block, blocks.Pairs):
            rows = [(pair.label, pair.text) for pair in block.lines]
        else:
            rows = [*([block.headings] if block.headings else []), *block.rows]
        for line, row in zip(table.rows, rows, strict=True):
            for cell, content in zip(line.cells, row, strict=True):
                if isinstance(content, Box):
                    assert "<m:oMath" in cell._tc.xml
                else:
                    assert cell.text == blocks.words_of(content).replace("\x07", "")
    assert len(read.inline_shapes) == len(figures_of(document))
    captions = [figure.caption for figure in figures_of(document)]
    assert [shape._inline.docPr.get("descr") for shape in read.inline_shapes] == captions
    assert "<m:sSup>" in read.element.xml


@pytest.mark.parametrize("ending", [known.endings[0] for known in FORMATS])
def test_every_format_is_written_by_its_ending(tmp_path, ending):
    """With what stands beside it; the same report is the same files."""
    study = study_named()
    left_out = tuple(entry.key for entry in SECTIONS if entry.key not in ("figure", "coefficients", "surfaces"))
    study = edits.set_report(study, study.report.changed(left_out=left_out))
    texts = ending not in (".pdf", ".docx", ".xlsx")
    for folder in ("one", "two") if texts else ("one",):
        (tmp_path / folder).mkdir()
        save_report(study, tmp_path / folder / f"weir{ending}")
    files = sorted(path.name for path in (tmp_path / "one").iterdir())
    beside = {".md": ".svg", ".tex": ".pdf"}.get(ending)
    assert files == sorted([f"weir{ending}", *(f"weir-figure-{k}{beside}" for k in (1, 2) if beside)])
    if texts:
        for name in files:
            assert (tmp_path / "one" / name).read_bytes() == (tmp_path / "two" / name).read_bytes()


def test_the_result_can_be_had_again_to_the_last_bit():
    """Coefficients, standard errors and covariance that are read back from the text are those of the fit."""
    study = study_named()
    fit = derive_fit(study, study.reported_curve.id)
    section = report_document(study).section("repeat")
    pairs, table, _heading, matrix = section.blocks
    for row, coefficient in zip(table.rows, fit.result.coefficients.values(), strict=True):
        assert float(row[1].text) == row[1].value == coefficient.value
        assert float(row[2].text) == row[2].value == coefficient.standard_error
    assert [[float(cell.text) for cell in row[1:]] for row in matrix.rows] == fit.result.covariance.tolist()
    told = dict(pairs.lines)
    assert told["SHA-256 of the file"] == fit.series.table.full_source.digest
    assert len(told["SHA-256 of the file"]) == 64
    again = core.fit(told["formula"], fit.series.numbers(fit.rows))
    assert [c.value for c in again.coefficients.values()] == pytest.approx(fit.result.values, rel=1e-12)


def test_latex_compiles(tmp_path):
    """Where there is a compiler: without an error, without a line that is too long, every awkward name included."""
    if shutil.which("pdflatex") is None:
        pytest.skip("no LaTeX compiler is at hand")
    study = demo_study()
    study = edits.set_title(study, "100 % & #1 of $x_1$ ~ {a}^b \\ “q” µ λ")
    study = edits.set_report(study, study.report.changed(fits="all", note="- *a* & `y = a/b^2`\n- 5 % of 1·10⁻⁶"))
    save_report(study, tmp_path / "my report.tex")
    made = subprocess.run(
        ["pdflatex", "-interaction=nonstopmode", "-halt-on-error", "my report.tex"],
        cwd=tmp_path,
        capture_output=True,
        timeout=900,
    )
    log = (tmp_path / "my report.log").read_text(encoding="latin-1")
    assert made.returncode == 0, log[-2000:]
    assert "Overfull" not in log
