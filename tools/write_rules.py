"""Write the list of all rules into docs/rules.md, from the registry."""

from __future__ import annotations

from pathlib import Path

from vane_step.core.rules import rules_page

PAGE = Path(__file__).parent.parent / "docs" / "rules.md"

if __name__ == "__main__":
    head, mark, rest = PAGE.read_text(encoding="utf-8").partition("<!-- rules -->\n")
    end = "<!-- end of rules -->"
    PAGE.write_text(head + mark + rules_page() + end + rest.partition(end)[2], encoding="utf-8")
