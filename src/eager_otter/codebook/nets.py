"""Nets and differences as written, worked out for the answers of a question."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.file import DifferenceFile, NetFile
from eager_otter.codebook.model import SHOWN, Answer, Difference, How, Net, scores_of
from eager_otter.documents.yaml_nodes import Place
from eager_otter.errors import nearest
from eager_otter.looks.words import counted, first_of

TellMistake = Callable[[Place, str], None]
NUMBER_WORDS = ("", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")


class NetBuilder:
    """Builds the nets of one question; `mistake` takes what is wrong with them."""

    def __init__(
        self, answers: Sequence[Answer], mistake: TellMistake, *, scale: bool, best_first: bool = False
    ) -> None:
        self.answers, self.mistake, self.scale, self.best_first = answers, mistake, scale, best_first
        self.nets: dict[str, Net] = {}
        self.differences: dict[str, Difference] = {}
        by_name = {answer.label.casefold(): answer for answer in answers}
        called = Counter(answer.label.casefold() for answer in answers)
        self._shared = {name for name, count in called.items() if count > 1}
        self._by_name: Mapping[str, Answer] = by_name | {answer.code: answer for answer in answers}

    def add(self, net: NetFile, place: Place) -> None:
        """Work a net out and keep it."""
        label = net.label or _end_label("Top" if net.top else "Bottom", net.top or net.bottom or 0)
        if label in self.nets or label in self.differences:
            self.mistake((*place, "label"), f"there are two nets labelled {label!r}.")
            return
        if net.difference is not None:
            self._add_difference(label, net, net.difference, place)
            return
        if net.of is not None:
            codes, inside = self._members(label, net, place)
        else:
            codes, inside = self._end(label, net, place), ()
        how: How = "least" if net.at_least is not None else net.how
        if net.at_least is not None and net.at_least > len(codes) > 0:
            self.mistake(
                (*place, "at least"), f"net {label!r}: at least {net.at_least} of {len(codes)} answers."
            )
        if codes:
            self.nets[label] = Net(
                label=label, of=codes, place=net.place, how=how, least=net.at_least or 1, inside=inside
            )

    def _members(self, label: str, net: NetFile, place: Place) -> tuple[tuple[str, ...], tuple[str, ...]]:
        codes: list[str] = []
        inside: list[str] = []
        for j, written in enumerate(net.of or []):
            if written in self.nets and net.how == "any" and net.at_least is None:
                inside.append(written)
                codes += [code for code in self.nets[written].of if code not in codes]
                continue
            code = self._code(label, written, (*place, "of", j))
            if code is not None and code in codes:
                self.mistake(
                    (*place, "of", j), f"net {label!r}: {self._by_name[code].label!r} appears twice."
                )
            elif code is not None:
                codes.append(code)
        return tuple(codes), tuple(inside)

    def _code(self, label: str, written: str, place: Place) -> str | None:
        by_code = next((one for one in self.answers if one.code == canonical(written)), None)
        if by_code is None and written.casefold() in self._shared:
            codes = [one.code for one in self.answers if one.label.casefold() == written.casefold()]
            self.mistake(
                place,
                f"net {label!r}: several answers are called {written!r} ({first_of(codes, SHOWN)}); name them by code.",
            )
            return None
        answer = by_code or self._by_name.get(canonical(written)) or self._by_name.get(written.casefold())
        if answer is None:
            known = [answer.code for answer in self.answers] + [answer.label for answer in self.answers]
            self.mistake(place, f"net {label!r}: no answer {written!r}.{nearest(written, known)}")
            return None
        if answer.missing:
            self.mistake(place, f"net {label!r}: {answer.label!r} is missing, so it belongs to no net.")
            return None
        return answer.code

    def _end(self, label: str, net: NetFile, place: Place) -> tuple[str, ...]:
        """Find the best or worst answers of a scale: by score, so a don't-know without one is never among them."""
        count = net.top or net.bottom or 0
        scores = scores_of(self.answers)
        if not self.scale:
            self.mistake(
                place, f"net {label!r}: top and bottom need a scale; add 'scale: true' or name the answers."
            )
            return ()
        if count >= len(scores):
            many = counted(len(scores), "scored answer")
            self.mistake(place, f"net {label!r}: the scale has {many}; top and bottom take fewer than that.")
            return ()
        ordered = sorted(scores, key=lambda code: scores[code], reverse=self.best_first)
        chosen = set(ordered[-count:] if net.top is not None else ordered[:count])
        return tuple(answer.code for answer in self.answers if answer.code in chosen)

    def _add_difference(self, label: str, net: NetFile, written: DifferenceFile, place: Place) -> None:
        where = (*place, "difference")
        groups = []
        for key, names in (("plus", written.plus), ("minus", written.minus)):
            codes = [self._code(label, name, (*where, key, j)) for j, name in enumerate(names)]
            groups.append(tuple(dict.fromkeys(code for code in codes if code is not None)))
        plus, minus = groups
        both = [code for code in plus if code in minus]
        without = [name for name in (*plus, *minus) if not self._by_name[name].scored]
        if without:
            shown = ", ".join(repr(self._by_name[code].label) for code in without)
            self.mistake(
                where,
                f"difference {label!r}: {shown} has no score, so it belongs to neither side of a difference.",
            )
        elif both:
            shown = ", ".join(repr(self._by_name[code].label) for code in both)
            self.mistake(where, f"difference {label!r}: {shown} is in both groups.")
        elif plus and minus:
            self.differences[label] = Difference(label=label, plus=plus, minus=minus, place=net.place)


def _end_label(end: str, count: int) -> str:
    """Name the ends of a scale.

    >>> _end_label("Top", 2), _end_label("Bottom", 12)
    ('Top two', 'Bottom 12')
    """
    return f"{end} {NUMBER_WORDS[count] if count < len(NUMBER_WORDS) else count}"
