"""Writes docs/method/defaults.md: every cut of the shipped book as its plan starts, and how it stands under the usual rules."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

from ember_core.book.book import shipped
from ember_core.entry.sentence import Sentence
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_core.planning.routes import changes
from ember_core.safety.rules import profile_of
from ember_core.safety.verdict import MET, standing

OUT = Path(__file__).parents[1] / "docs" / "method" / "defaults.md"
HEAD = """# The book's cuts as they start

Made by `tools/defaults.py`: the shipped book's cuts at their usual size, doneness and way, for general guests under US Food Code 2022,
at sea level. Where one is not met, the routes that the Plan page offers stand beside it, the least change first.

"""


def main() -> None:
    """Write the page."""
    book, rows, counted = shipped(), [], Counter[str]()
    for name in book.cuts:
        sentence = Sentence.for_cut(name)
        outcome = compute(parse(sentence.document()), with_forecast=False, advice=False)
        rule, plan = outcome.result["rule"], outcome.plan
        found = standing(rule, plan.required, plan.guests, profile_of(plan.rules or ""), outcome.findings)
        counted[found.state] += 1
        routes = "" if found.state == MET else "; ".join(str(c.words) for c in changes(sentence, book))
        cells = [name, sentence.way, f"{outcome.cook.peak_core_c:.1f}", str(found.words), rule["clause"] or "", routes]
        rows.append("| " + " | ".join(cells) + " |")
    total = ", ".join(f"{many} {state}" for state, many in counted.most_common())
    table = ["| cut | way | core, °C | stands as | clause | to serve it |", "|---|---|---|---|---|---|", *rows]
    OUT.write_text(f"{HEAD}{len(rows)} cuts: {total}.\n\n" + "\n".join(table) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
