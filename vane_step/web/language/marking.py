"""Finds what templates say, and has it looked up: templates stay plain English, no text is marked by hand.

A *message* is a run of text between two tags that break a line, with what is filled in as ``{name}`` and tags that
carry attributes as ``<1>``, or the value of an attribute that is read out or shown. Strings in expressions are
messages where they are what is shown: the branches of a condition, what is joined by ``~``, what a format fills.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Final

from jinja2 import Environment, nodes
from markupsafe import escape

from vane_step.web.language.runs import (
    Message,
    Run,
    Token,
    around,
    data_of,
    fresh,
    name_of,
    peeled,
    safe,
    says,
)

# Tags that stand within a sentence.
INLINE: Final = frozenset(
    ("a", "abbr", "b", "br", "code", "dfn", "em", "i", "kbd", "small", "strong", "sub", "sup", "var")
)
# Elements whose content is nothing to read.
SILENT: Final = frozenset(("script", "style"))
SPOKEN: Final = frozenset(("alt", "aria-label", "title"))
# Macros and which of their arguments are shown, and which are figures.
MACROS: Final = {
    "say": (1,),
    "submit": (0,),
    "field": (0,),
    "row": (0, 1),
    "removable": (1,),
    "tick": (0,),
    "choose": (0,),
}
NUMBERS: Final = frozenset(("exact", "format", "mm", "reading", "si"))
_TAG = re.compile(r"<(/?)([a-zA-Z][\w-]*)|<!(?:--.*?-->|[^>]*>)", re.S)


class _Marker:
    """Walks one template in the order it is written, knowing whether it is in a tag, and in which attribute."""

    def __init__(self, messages: list[Message]) -> None:
        self.messages = messages
        # Empty outside of tags, else the name of the tag; the attribute whose value is open, and its quote.
        self.tag = ""
        self.attribute = ""
        self.quote = ""
        self.silent = ""
        self.valued = False

    # -- the tree ---------------------------------------------------------------------------------------------

    def walk(self, body: list[nodes.Node]) -> None:
        """Mark a list of nodes in the order they are written."""
        for node in body:
            if isinstance(node, nodes.Output):
                node.nodes = self.output(node)
            elif isinstance(node, nodes.If):
                before = self.state()
                self.walk(node.body)
                after = self.state()
                for branch in (*node.elif_, node):
                    self.back_to(before)
                    self.walk(branch.body if branch is not node else node.else_)
                self.back_to(after)
            elif isinstance(node, nodes.Assign):
                node.node = (
                    self.shown(node.node) if isinstance(node.node, nodes.CondExpr | nodes.Dict) else node.node
                )
            else:
                if isinstance(node, nodes.For):
                    self.table(node.iter)
                if isinstance(node, nodes.CallBlock):
                    self.call(node.call)
                for part in ("body", "else_"):
                    self.walk(getattr(node, part, None) or [])

    def state(self) -> tuple[str, str, str, str]:
        """Give where the walk is: tag, attribute, quote, silent element."""
        return self.tag, self.attribute, self.quote, self.silent

    def back_to(self, state: tuple[str, str, str, str]) -> None:
        """Go back to where a branch began."""
        self.tag, self.attribute, self.quote, self.silent = state

    # -- one piece of output ----------------------------------------------------------------------------------

    def output(self, node: nodes.Output) -> list[nodes.Expr]:
        """Mark one piece of output and give what it is made of now."""
        self.made: list[nodes.Expr] = []
        self.run = Run()
        for piece in node.nodes:
            if isinstance(piece, nodes.TemplateData):
                self.data(piece.data, piece.lineno)
            elif self.tag and self.attribute not in SPOKEN:
                # What a tag carries is no text, but for the macros that are called there.
                self.put_raw(piece)
            else:
                self.run.line = self.run.line or piece.lineno
                self.run.tokens.append(("expr", piece))
        self.flush()
        return self.made

    def data(self, text: str, line: int) -> None:
        """Read text and tags."""
        at = 0
        while at < len(text):
            at = self.in_tag(text, at, line) if self.tag else self.in_text(text, at, line)
            continue

    def in_text(self, text: str, at: int, line: int) -> int:
        """Read up to the next tag that ends a run, and give where reading goes on."""
        match = _TAG.search(text, at)
        end = match.start() if match else len(text)
        if end > at:
            self.text(text[at:end], line + text.count("\n", 0, at))
        if match is None:
            return len(text)
        if match[2] is None:
            self.text_raw(match[0])
            return match.end()
        name, closing = match[2].lower(), bool(match[1])
        if self.silent:
            self.silent = "" if closing and name == self.silent else self.silent
        elif name in SILENT and not closing:
            self.silent = name
        if name in INLINE and not self.silent:
            rest = text.find(">", match.end())
            plain = rest >= 0 and not text[match.end() : rest].strip(" /")
            if closing or plain:
                kind = "close" if closing else "open" if name != "br" else "text"
                self.run.tokens.append((kind, text[end : rest + 1]))
                return rest + 1
            # The tag is gathered up to its end, with what is filled into it.
            self.run.tokens.append(("open", []))
        else:
            self.flush()
        self.tag, self.valued = "/" + name if closing else name, False
        self.put_raw(nodes.TemplateData(text[end : match.end()]))
        return match.end()

    def in_tag(self, text: str, at: int, line: int) -> int:
        """Read within a tag, and give where reading goes on."""
        if self.attribute:
            end = text.find(self.quote, at)
            end = len(text) if end < 0 else end
            piece = text[at:end]
            if self.attribute in SPOKEN:
                if piece:
                    self.text(piece, line + text.count("\n", 0, at))
                if end < len(text):
                    self.flush()
            elif piece:
                self.put_raw(nodes.TemplateData(piece))
            if end < len(text):
                self.attribute = ""
                self.put_raw(nodes.TemplateData(self.quote))
                return end + 1
            return end
        match = re.compile(r"([\w:.-]+)=([\"'])|>").search(text, at)
        if match is None:
            self.put_raw(nodes.TemplateData(text[at:]))
            return len(text)
        self.put_raw(nodes.TemplateData(text[at : match.end()]))
        if match[0] == ">":
            # What an option without a value shows is what its form sends.
            if self.tag == "option" and not self.valued:
                self.silent = "option"
            self.tag = ""
        else:
            self.attribute, self.quote = match[1].lower(), match[2]
            self.valued = self.valued or self.attribute == "value"
            if self.attribute in SPOKEN and self.gathering() is None:
                self.flush()
        return match.end()

    def gathering(self) -> list[nodes.Expr] | None:
        """Give the list of an inline tag that is being gathered, None outside of one."""
        if not self.tag or self.tag not in INLINE or not self.run.tokens:
            return None
        kind, last = self.run.tokens[-1]
        return last if kind == "open" and isinstance(last, list) else None

    def text(self, text: str, line: int) -> None:
        """Add text to the run."""
        if self.silent:
            self.text_raw(text)
            return
        self.run.line = self.run.line or line
        self.run.tokens.append(("text", text))

    def text_raw(self, text: str) -> None:
        """Put text that says nothing."""
        self.flush()
        self.made.append(nodes.TemplateData(text))

    def put_raw(self, piece: nodes.Expr) -> None:
        """Put what a tag carries, into the tag that is gathered or as it is."""
        gathered = self.gathering()
        if gathered is not None:
            gathered.append(piece)
            return
        self.flush()
        if not isinstance(piece, nodes.TemplateData):
            piece = self.called(piece)
        self.made.append(piece)

    # -- runs -------------------------------------------------------------------------------------------------

    def flush(self) -> None:
        """Close the run: one message where it has words, what it was made of where it has none."""
        run, self.run = self.run, Run()
        tokens = run.tokens
        if not tokens:
            return
        if not self.is_message(tokens):
            for kind, token in tokens:
                self.made += self.plainly(kind, token)
            return
        head, inner, tail = peeled(tokens)
        for kind, token in head:
            self.made += self.plainly(kind, token)
        self.made += self.message(inner, run.line)
        for kind, token in tail:
            self.made += self.plainly(kind, token)

    def is_message(self, tokens: list[Token]) -> bool:
        """Tell whether a run has words and its tags close."""
        depth = 0
        for kind, _ in tokens:
            depth += {"open": 1, "close": -1}.get(kind, 0)
            if depth < 0:
                return False
        return depth == 0 and any(kind == "text" and says(str(token)) for kind, token in tokens)

    def plainly(self, kind: str, token: str | nodes.Expr | list[nodes.Expr]) -> list[nodes.Expr]:
        """Give a token as it was, with what it shows looked up."""
        if isinstance(token, list):
            return token
        if isinstance(token, str):
            return [nodes.TemplateData(token)]
        return [self.number(self.called(self.shown(token)))]

    def message(self, tokens: list[Token], line: int) -> list[nodes.Expr]:
        """Make one message of a run, with what is filled in by name."""
        filled: list[nodes.Keyword] = []
        opened: list[str] = []
        text, used = "", 0
        for kind, token in tokens:
            if kind == "expr":
                assert isinstance(token, nodes.Expr)
                name = fresh(name_of(token), {k.key for k in filled})
                filled.append(nodes.Keyword(name, self.number(self.called(self.shown(token)))))
                text += f"{{{name}}}"
            elif kind == "open":
                if isinstance(token, list):
                    used += 1
                    opened.append(str(used))
                    filled.append(
                        nodes.Keyword(f"t{used}", nodes.MarkSafe(nodes.Concat([safe(p) for p in token])))
                    )
                    text += f"<{used}>"
                else:
                    opened.append("")
                    text += str(token)
            elif kind == "close":
                number = opened.pop()
                if number:
                    filled.append(nodes.Keyword(f"e{number}", nodes.MarkSafe(nodes.Const(str(token)))))
                text += f"</{number}>" if number else str(token)
            else:
                text += str(token)
        before, body, after = around(text)
        body = re.sub(r"\s+", " ", body)
        self.messages.append(Message(body, line))
        looked_up = nodes.Call(nodes.Name("_message", "load"), [nodes.Const(body)], filled, None, None)
        return [*data_of(before), looked_up, *data_of(after)]

    # -- expressions ------------------------------------------------------------------------------------------

    def shown(self, node: nodes.Expr) -> nodes.Expr:
        """Have the strings of an expression looked up that are what it shows."""
        if isinstance(node, nodes.Const) and isinstance(node.value, str) and says(node.value):
            self.messages.append(Message(node.value, node.lineno))
            return nodes.Call(nodes.Name("_", "load"), [node], [], None, None)
        if isinstance(node, nodes.CondExpr):
            node.expr1 = self.shown(node.expr1)
            node.expr2 = self.shown(node.expr2) if node.expr2 is not None else None
        elif isinstance(node, nodes.Concat) and any(
            isinstance(n, nodes.Const) and isinstance(n.value, str) and says(n.value) for n in node.nodes
        ):
            tokens: list[Token] = [
                ("text", str(escape(n.value))) if isinstance(n, nodes.Const) else ("expr", n)
                for n in node.nodes
            ]
            return nodes.MarkSafe(nodes.Concat(self.message(tokens, node.lineno)))
        elif isinstance(node, nodes.Concat):
            node.nodes = [self.shown(n) for n in node.nodes]
        elif isinstance(node, nodes.Dict):
            for pair in node.items:
                pair.value = self.shown(pair.value)
        elif isinstance(node, nodes.Getitem) and isinstance(node.node, nodes.Dict):
            node.node = self.shown(node.node)
        elif (
            isinstance(node, nodes.Call) and isinstance(node.node, nodes.Getattr) and node.node.attr == "get"
        ):
            node.node.node = (
                self.shown(node.node.node) if isinstance(node.node.node, nodes.Dict) else node.node.node
            )
        elif isinstance(node, nodes.Or):
            node.right = self.shown(node.right)
        elif isinstance(node, nodes.Filter):
            if node.name == "count_of" and isinstance(node.args[0], nodes.Const):
                thing = node.args[0].value
                self.messages.append(Message(f"{{n}} {thing}", node.lineno, f"{{n}} {thing}s"))
            elif node.name == "format" and node.node is not None:
                node.node = self.shown(node.node)
        return node

    def table(self, node: nodes.Node) -> None:
        """Have the titles of a table looked up that is walked through: what follows the key of each row."""
        for row in node.items if isinstance(node, nodes.Tuple | nodes.List) else ():
            if isinstance(row, nodes.Tuple):
                row.items[1:] = [self.shown(x) if isinstance(x, nodes.Const) else x for x in row.items[1:]]

    def called(self, node: nodes.Expr) -> nodes.Expr:
        """Have the arguments of a macro's call looked up that it shows."""
        if isinstance(node, nodes.Call):
            self.call(node)
        return node

    def call(self, node: nodes.Call) -> None:
        """Have what a macro shows looked up in its call."""
        if isinstance(node.node, nodes.Name) and node.node.name in MACROS:
            for k in MACROS[node.node.name]:
                if k < len(node.args):
                    node.args[k] = self.number(self.shown(node.args[k]))

    def number(self, node: nodes.Expr) -> nodes.Expr:
        """Have a figure written as the language writes it."""
        if isinstance(node, nodes.Filter) and node.name in NUMBERS:
            return nodes.Call(nodes.Name("_number", "load"), [node], [], None, None)
        return node


def marked(tree: nodes.Template) -> list[Message]:
    """Mark a parsed template in place and give what it says, in the order it is written."""
    messages: list[Message] = []
    _Marker(messages).walk(tree.body)
    return messages


class PageEnvironment(Environment):
    """Templates whose texts are looked up in the language of the request."""

    def _parse(self, source: str, name: str | None, filename: str | None) -> nodes.Template:
        tree = super()._parse(source, name, filename)
        marked(tree)
        return tree


def messages_of(environment: Environment, source: str) -> Iterator[Message]:
    """Give what a template says, and what it has looked up by hand with ``_``."""
    tree = Environment._parse(environment, source, None, None)
    for call in tree.find_all(nodes.Call):
        if (
            isinstance(call.node, nodes.Name)
            and call.node.name == "_"
            and isinstance(call.args[0], nodes.Const)
        ):
            yield Message(call.args[0].value, call.lineno)
    yield from marked(tree)
