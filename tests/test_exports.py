"""Exports of others: the right figure in at most two calls, and no wrong one unsaid."""

from __future__ import annotations

import csv
import io
import re
import shlex

import pytest
from exports import EXPORTS, Export


def answered(cli, *words):
    """The answer in at most two calls, as the tool itself proposes; and all that was said."""
    ran = cli(*words)
    said = ran.stderr
    if ran.returncode:
        offered = [line for line in ran.stderr.splitlines() if line.startswith("logochron ")]
        assert offered, ran.stderr
        ran = cli(*shlex.split(offered[0])[1:])
        said += ran.stderr
    assert ran.returncode == 0, said
    return list(csv.DictReader(io.StringIO(ran.stdout))), said


@pytest.mark.parametrize("export", EXPORTS, ids=lambda export: export.name)
def test_right_in_two_calls(tmp_path, cli, export: Export):
    path = tmp_path / export.name
    export.write(path)
    rows, said = answered(cli, "compare", path, *export.words, "--as", "csv")
    last = [row for row in rows if row["period"] == rows[-1]["period"]]
    by = export.words[1]
    for label, value in export.truth.items():
        figures = [float(row["value"]) for row in last if row[by] == label]
        found = figures if label else [sum(float(row["value"]) for row in last if row[by])]
        assert found == [pytest.approx(value)], (label, said)


@pytest.mark.parametrize("export", EXPORTS, ids=lambda export: export.name)
def test_one_thing_wrong_is_told(tmp_path, cli, export: Export):
    path = tmp_path / export.name
    export.spoil(path)
    settled = ("--where", "currency=EUR") if "currencies" in export.told else ()
    words = [word for word in export.words if word not in settled]
    ran = cli("compare", path, *words)
    assert re.search(export.told, ran.stderr + ran.stdout), ran.stderr + ran.stdout
