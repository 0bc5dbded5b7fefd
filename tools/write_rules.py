"""Write the lists of all rules and of all sentences into docs/rules.md and docs/sentences.md, from their tables."""

from __future__ import annotations

from pathlib import Path

from vane_step.core.ask import sentences_page
from vane_step.core.rules import rules_page

DOCS = Path(__file__).parent.parent / "docs"

if __name__ == "__main__":
    for name, page in (("rules", rules_page()), ("sentences", sentences_page())):
        file = DOCS / f"{name}.md"
        head, mark, rest = file.read_text(encoding="utf-8").partition(f"<!-- {name} -->\n")
        end = f"<!-- end of {name} -->"
        file.write_text(head + mark + page + end + rest.partition(end)[2], encoding="utf-8")
