"""CQL2 as a text (OGC 21-065r2, annex B), read into the form that CQL2 has in JSON.

Own code, as the libraries that there are take whole numbers for fractions, end the process at deep nesting, or refuse
half of the language.

>>> parse("depth >= 2 AND NOT name LIKE 'K%'")
{'op': 'and', 'args': [{'op': '>=', 'args': [{'property': 'depth'}, 2]}, {'op': 'not', 'args': [{'op': 'like', \
'args': [{'property': 'name'}, 'K%']}]}]}
"""

from __future__ import annotations

import json
import re
from typing import Any

import shapely
from shapely.errors import GEOSException

from brisk_atlas.core.model.language import tr

TOKEN = re.compile(
    r"""\s*(?:(?P<number>(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)
    |(?P<text>'(?:[^'\\]|''|\\.)*')
    |(?P<quoted>"(?:[^"]|"")+")
    |(?P<word>[^\W\d][\w.:]*)
    |(?P<sign><>|<=|>=|[-+*/%^=<>(),]))""",
    re.VERBOSE | re.DOTALL,
)
SHAPES = ("POINT", "LINESTRING", "POLYGON", "MULTIPOINT", "MULTILINESTRING", "MULTIPOLYGON", "GEOMETRYCOLLECTION")
STRENGTHS = {"OR": 1, "AND": 2, "=": 4, "<>": 4, "<": 4, ">": 4, "<=": 4, ">=": 4, "LIKE": 4, "IN": 4, "BETWEEN": 4,
             "IS": 4, "+": 5, "-": 5, "*": 6, "/": 6, "%": 6, "DIV": 6, "^": 7}  # fmt: skip
NOT_STRENGTH, SUM_STRENGTH = 3, 5
DEEPEST = 60  # levels of brackets and operators in each other
END = ""


class BadCql2(ValueError):
    """A text that is no CQL2, with the reason."""


def parse(text: str) -> Any:
    """Return a condition in the form that CQL2 has in JSON. Raises BadCql2."""
    reading = _Reading(text)
    found = reading.expression(0)
    if reading.next != END:
        raise BadCql2(tr("'{next}' is not expected {place}", next=reading.next, place=reading.place))
    return found


class _Reading:
    """A text that is read from its begin to its end."""

    def __init__(self, text: str) -> None:
        self.text, self.at, self.depth = text, 0, 0
        self.kind, self.next, self.begin = "", END, 0
        self.step()

    @property
    def place(self) -> str:
        return tr("at character {begin}", begin=self.begin + 1) if self.next != END else tr("at the end")

    def step(self) -> None:
        """Go on to the next token."""
        found = TOKEN.match(self.text, self.at)
        if found is None:
            rest = self.text[self.at :].strip()
            if rest:
                raise BadCql2(tr("'{rest}' is not understood at character {at}", rest=rest[:20], at=self.at + 1))
            self.kind, self.next, self.begin = END, END, len(self.text)
            return
        self.kind = found.lastgroup or ""
        self.next, self.begin, self.at = found[self.kind], found.start(self.kind), found.end()

    @property
    def word(self) -> str:
        """The next token as a word of the language or a sign, "" for what is neither."""
        return self.next.upper() if self.kind == "word" else self.next if self.kind == "sign" else ""

    def expect(self, word: str) -> None:
        if self.word != word:
            raise BadCql2(tr("{word} is expected {place}", word=word, place=self.place))
        self.step()

    def expression(self, strength: int) -> Any:
        """Read what is bound by operators of more than a strength (Pratt 1973)."""
        self.depth += 1
        if self.depth > DEEPEST:
            raise BadCql2(tr("it is nested more than {deepest} levels deep", deepest=DEEPEST))
        left = self._first()
        while True:
            negated = self.word == "NOT" and self._follows("LIKE", "IN", "BETWEEN")
            binds = STRENGTHS["IN"] if negated else STRENGTHS.get(self.word, 0)
            if binds <= strength:
                break
            if negated:
                self.step()
            found = self._further(left, binds)
            left = {"op": "not", "args": [found]} if negated else found
        self.depth -= 1
        return left

    def _follows(self, *words: str) -> bool:
        found = TOKEN.match(self.text, self.at)
        return found is not None and (found["word"] or "").upper() in words

    def _first(self) -> Any:
        """Read what an expression begins with."""
        kind, token, word = self.kind, self.next, self.word
        if word == "NOT":
            self.step()
            return {"op": "not", "args": [self.expression(NOT_STRENGTH)]}
        if word in ("-", "+"):
            self.step()
            value = self.expression(STRENGTHS["*"])
            if word == "+":
                return value
            return -value if isinstance(value, (int, float)) else {"op": "*", "args": [-1, value]}
        if word == "(":
            self.step()
            found = self.expression(0)
            self.expect(")")
            return found
        if kind in (END, "sign"):
            raise BadCql2(tr("a value is expected {place}", place=self.place))
        begin = self.begin
        self.step()
        match kind:
            case "number":
                return int(token) if token.isdigit() else float(token)
            case "text":
                return _text(token)
            case "quoted":
                return {"property": token[1:-1].replace('""', '"')}
        if word in SHAPES and (self.word == "(" or self.word in ("Z", "EMPTY")):
            return self._shape(begin)
        if self.word == "(":
            return self._call(token, word)
        if word in ("TRUE", "FALSE"):
            return word == "TRUE"
        if word in STRENGTHS or word == "NULL":
            raise BadCql2(tr("a value is expected at character {begin}", begin=begin + 1))
        return {"property": token}

    def _call(self, name: str, word: str) -> Any:
        """Read what stands in brackets behind a name."""
        args = self._list()
        if word in ("DATE", "TIMESTAMP"):
            if len(args) != 1 or not isinstance(args[0], str):
                raise BadCql2(tr("{word} has one text", word=word))
            return {word.lower(): args[0]}
        if word in ("INTERVAL", "BBOX"):
            return {word.lower(): args}
        return {"op": name.lower(), "args": args}

    def _list(self) -> list[Any]:
        self.expect("(")
        found: list[Any] = []
        while self.word != ")":
            if found:
                self.expect(",")
            found.append(self.expression(0))
        self.step()
        return found

    def _shape(self, begin: int) -> Any:
        """Read a geometry as well-known text."""
        open_, empty = 0, self.word == "EMPTY"
        while not empty:
            open_ += (self.word == "(") - (self.word == ")")
            if self.next == END:
                raise BadCql2(tr("a geometry has no end"))
            if open_ == 0 and self.word == ")":
                break
            self.step()
        text = self.text[begin : self.at]
        self.step()
        try:
            return json.loads(shapely.to_geojson(shapely.from_wkt(text)))
        except (GEOSException, ValueError) as error:
            raise BadCql2(
                tr("{text} is no geometry ({splitlines})", text=text[:60], splitlines=str(error).splitlines()[0][:100])
            ) from None

    def _further(self, left: Any, binds: int) -> Any:
        """Read an operator and what stands behind it."""
        word = self.word
        self.step()
        match word:
            case "IS":
                negated = self.word == "NOT"
                if negated:
                    self.step()
                self.expect("NULL")
                found = {"op": "isNull", "args": [left]}
                return {"op": "not", "args": [found]} if negated else found
            case "IN":
                return {"op": "in", "args": [left, self._list()]}
            case "BETWEEN":
                low = self.expression(SUM_STRENGTH - 1)
                self.expect("AND")
                return {"op": "between", "args": [left, low, self.expression(SUM_STRENGTH - 1)]}
            case "AND" | "OR":
                right = self.expression(binds)
                same = isinstance(left, dict) and left.get("op") == word.lower()
                return {"op": word.lower(), "args": [*(left["args"] if same else [left]), right]}
        return {"op": word.lower(), "args": [left, self.expression(binds)]}


def _text(token: str) -> str:
    return token[1:-1].replace("''", "'").replace("\\'", "'")
