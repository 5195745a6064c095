"""Where an answer goes: the file of --out, and what may not stand there."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from logochron.core.errors import QuestionError, brief, visible
from logochron.core.rows.question_types import question_type, question_types
from logochron.views.figures.registry import FIGURES, figure_named
from logochron.views.whole_file import ordinary
from logochron.views.write_file import PICTURE_ENDINGS, TABLE_ENDINGS, check_ending

#: The figures that take each option of figures.
OF_FIGURE = {
    option: tuple(figure.name for figure in FIGURES if option in figure.options)
    for option in dict.fromkeys(option for figure in FIGURES for option in figure.options)
}


def target_of(options: dict[str, Any], sales: Sequence[str], answer: str = "compare") -> Path | None:
    """The file to write, refused before anything is read where it cannot be, or is one of those to be read.

    Raises
    ------
    QuestionError
        Where the options about it do not go together, or it is no place for an answer.
    """
    out, figure, of = options["out"], options.get("figure"), question_type(answer)
    _check_form(options, answer)
    given = [name for name in OF_FIGURE if options.get(name) is not None]
    for name in given:
        kinds = [kind for kind in OF_FIGURE[name] if kind in of.figures]
        if figure is not None and figure not in kinds:
            raise QuestionError(f"--{name} goes with --figure {' or '.join(kinds)}")
    if figure is None and given and not any(set(given) <= set(figure_named(name).options) for name in of.figures):
        raise QuestionError(f"no figure takes {' and '.join(f'--{name}' for name in given)} together")
    if out is None:
        for name in ("figure", *OF_FIGURE):
            if options.get(name) is not None:
                raise QuestionError(f"--{name} needs --out FILE with one of {', '.join(PICTURE_ENDINGS)}")
        return None
    if options["form"]:
        raise QuestionError("--out chooses the form by its ending: leave --as out")
    target = Path(out)
    ending = check_ending(target)
    drawn = (*PICTURE_ENDINGS, ".html")
    if figure and ending not in drawn:
        raise QuestionError(f"--figure {figure} needs --out with one of {', '.join(drawn)}; got {brief(out)}")
    if ending in PICTURE_ENDINGS and "figure" not in options:
        raise QuestionError(f"{target}: no figure shows this answer; known are {', '.join(TABLE_ENDINGS)}")
    place = ordinary(target)
    check_apart("--out", target, place, [*sales, *(options.get(name) for name in ("plan", "calendar", "profile"))])
    return target


def _check_form(options: dict[str, Any], answer: str) -> None:
    """Refuse a form that an answer does not have, and options of forms that are not asked for."""
    form, of = options["form"], question_type(answer)
    if form == "words" and not of.sentences:
        said = ", ".join(one.name for one in question_types() if one.sentences)
        raise QuestionError(f"--as words: the answers of {said} can be said in sentences, not that of {answer}")
    if form == "cards" and not of.cards:
        shown = ", ".join(one.name for one in question_types() if one.cards)
        raise QuestionError(f"--as cards shows the answer of {shown}, not that of {answer}")
    for name in ("template", "then"):
        if options.get(name) is not None and form != "words":
            raise QuestionError(f"--{name} goes with --as words")


def check_apart(option: str, target: Path, place: Path, read: Sequence[str | None]) -> None:
    """Refuse to write over what is read, or into it, however either is spelled or linked.

    Raises
    ------
    QuestionError
        Naming the option and the file that is read.
    """
    from logochron.sources.kinds.find_files import files_of, is_same
    from logochron.sources.pushdown.database_address import local_file

    for named in filter(None, read):
        local = local_file(named)
        for path in [] if local is None else files_of(local):
            if is_same(place, path):
                one, other = visible(str(target)), visible(str(path))
                raise QuestionError(f"{option} {one} would write over {other}, which is read: name another file")
