"""Writes vane_step/web/locale/pages.pot: all that pages say, from which another language is made."""

from __future__ import annotations

from vane_step.web.language.catalogue import FOLDER
from vane_step.web.language.gathering import as_file, everything
from vane_step.web.render import templates

if __name__ == "__main__":
    FOLDER.mkdir(exist_ok=True)
    (FOLDER / "pages.pot").write_bytes(as_file(everything(templates.env)))
