"""The design as a JSON file: reading, writing and the published JSON Schema; no meaning of the content."""

from __future__ import annotations

import json
from collections.abc import Container
from typing import Any

from pydantic import ValidationError

from vane_step.core.design.model import FORMAT, FORMAT_VERSION, SINGLES, Design
from vane_step.core.errors import InputError

MAX_BYTES = 64 * 1024 * 1024


def to_json(design: Design) -> str:
    """Write a design as JSON text: one line for each entry of a collection, so that differences are readable.

    What is as usual is left out, but for format and version.
    """
    told = design.model_dump(mode="json", exclude_defaults=True)
    return in_lines({"format": design.format, "version": design.version, **told}, SINGLES)


def in_lines(content: dict[str, Any], whole: Container[str] = ()) -> str:
    """Write plain data as JSON text: each entry of a collection on a line of its own, but for sections kept whole."""
    lines = []
    for key, value in content.items():
        if isinstance(value, dict) and key not in whole and any(isinstance(v, dict) for v in value.values()):
            rows = ",\n".join(
                f"  {json.dumps(k)}: {json.dumps(v, ensure_ascii=False)}" for k, v in value.items()
            )
            lines.append(f" {json.dumps(key)}: {{\n{rows}\n }}")
        elif isinstance(value, list) and value and isinstance(value[0], dict):
            rows = ",\n".join(f"  {json.dumps(v, ensure_ascii=False)}" for v in value)
            lines.append(f" {json.dumps(key)}: [\n{rows}\n ]")
        else:
            lines.append(f" {json.dumps(key)}: {json.dumps(value, ensure_ascii=False)}")
    return "{\n" + ",\n".join(lines) + "\n}\n"


def from_json(text: str | bytes, where: str = "design") -> Design:
    """Read a design from JSON text.

    Raises
    ------
    InputError
        Naming the file and the line or the field that is wrong. Files of another format version are refused.
    """
    if len(text) > MAX_BYTES:
        raise InputError("The file is too large.", where=where, value=len(text), allowed=f"{MAX_BYTES} bytes")
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        # Beside what is no JSON: numbers of thousands of digits, bytes that are no text, brackets without end.
        line = getattr(error, "lineno", None)
        raise InputError(
            f"This is not JSON: {getattr(error, 'msg', 'it cannot be decoded')}.",
            where=f"{where}, line {line}" if line else where,
            next_step="Choose a file that this program wrote.",
        ) from error
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise InputError("This is not a design file.", where=where, allowed=f'"format": "{FORMAT}"')
    if data.get("version") != FORMAT_VERSION:
        raise InputError(
            f"The file has format version {data.get('version')!r}.", where=where, allowed=str(FORMAT_VERSION)
        )
    return validated(data, where)


def validated(data: Any, where: str) -> Design:
    """Build a design from plain data, with errors that name the field."""
    try:
        return Design.model_validate(data)
    except ValidationError as error:
        raise input_error(error, where) from error


def input_error(error: ValidationError, where: str) -> InputError:
    """Turn the first fault a model found into an error a user can act on."""
    first = error.errors(include_url=False)[0]
    path = [str(x) for x in first["loc"]]
    count = f" ({error.error_count()} faults in all)" if error.error_count() > 1 else ""
    limit = _limit(first["type"], first.get("ctx", {}), path)
    if limit:
        says = f"{path[-1] if path else 'This'} is out of range"
        return InputError(
            f"{says}.{count}", where=_where(where, path), value=_told(first["input"], path), allowed=limit,
            next_step=f"It is {_told(first['input'], path)} now.",
        )  # fmt: skip
    message = first["msg"].removeprefix("Value error, ")
    return InputError(f"{message[:1].upper()}{message[1:]}.{count}", where=_where(where, path))


def _where(where: str, path: list[str]) -> str:
    return f"{where}: {' > '.join(path)}" if path else where


_BOUNDS = {
    "greater_than": ("gt", "above"), "greater_than_equal": ("ge", "at least"),
    "less_than": ("lt", "below"), "less_than_equal": ("le", "at most"),
    "string_too_long": ("max_length", "at most"), "too_long": ("max_length", "at most"),
}  # fmt: skip


def _limit(kind: str, context: dict[str, Any], path: list[str]) -> str:
    """Give the bound a number or text broke, lengths in millimetres as people say them."""
    if kind not in _BOUNDS or _BOUNDS[kind][0] not in context:
        return ""
    key, says = _BOUNDS[kind]
    of = {"string_too_long": " characters", "too_long": " entries"}.get(kind, "")
    bound = context[key]
    return f"{says} {_told(bound, path) if not of else bound}{of}"


def _told(value: Any, path: list[str]) -> str:
    """Write a value as people say it: nanometres in millimetres, long things by their length."""
    if isinstance(value, int) and abs(value) > 10**30:
        # Python neither makes a float of it nor writes it out.
        return f"a number of about {round(value.bit_length() * 0.30103)} digits"
    if isinstance(value, int) and abs(value) >= 1_000_000 and _is_length(path):
        return f"{value / 1e6:g} mm"
    if isinstance(value, str):
        return f"{len(value)} characters" if len(value) > 40 else repr(value)
    if isinstance(value, (list, tuple, dict)):
        return f"{len(value)} entries"
    return f"{value}"


def _is_length(path: list[str]) -> bool:
    return any(
        x.endswith("_nm") or x in ("outline", "points", "area", "cuts", "shape", "a", "b") for x in path
    )


def json_schema() -> dict[str, Any]:
    """Give the JSON Schema of the design format."""
    schema = Design.model_json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = f"{FORMAT} version {FORMAT_VERSION}"
    return schema
