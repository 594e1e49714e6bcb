"""
What the logs of starts say of a game: the line that it is ready, lines that mean trouble, what it loaded, where its log is.

A line is compared without its time, and with any number in place of another. A line that says that a game is ready is in the
log of every start that went well, once, and in none of a start that failed; one that means trouble is the other way round.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import Final

from zerrit.core.drafting.file_name_inference import escaped
from zerrit.core.drafting.guesses import Guess
from zerrit.core.wording import counted

_DAY_OR_MONTH: Final = r"(?:mon|tue|wed|thu|fri|sat|sun|jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*\.?"
_TIME: Final = re.compile(
    rf"(?:[\[(<{{]?(?:\d[\d:.,/T+Z-]*|{_DAY_OR_MONTH},?|[ap]m)[\])>}}]?(?=[\s|\])>}}:-]|$)[\s|:-]*)+", re.IGNORECASE
)
_READY: Final = re.compile(
    r"\b(?:ready|listening|accept(?:s|ing)?|online|joinable|(?:is|are|now) (?:up|open|running)|(?:may|can) (?:join|come|enter|connect)|"
    r"(?:server|world|game) (?:has )?(?:started|opened)|started (?:the )?(?:server|game)|waiting for (?:players|connections))\b",
    re.IGNORECASE,
)
_NOT: Final = re.compile(r"\b(?:not|no|never|cannot|until|before|when|fail\w*)\b|n't\b", re.IGNORECASE)
_CLOSED: Final = re.compile(
    r"\b(?:stopped|closed|shut ?down|ended|exit(?:ed)?|halted|terminated|(?:good)?bye|finished)\b", re.IGNORECASE
)
_LEVEL: Final = re.compile(r"\b(?:ERROR|FATAL|SEVERE|CRITICAL|PANIC|EXCEPTION|FAILURE|[A-Z]\w+(?:Error|Exception))\b")
_TELLS_TROUBLE: Final = re.compile(
    r"\b(?:error|fatal|fault|fail(?:ed|s|ure)?|cannot|could not|can't|unable|invalid|refused|aborted|crash(?:ed)?|exception)\b",
    re.IGNORECASE,
)
_READ_AGAIN: Final = re.compile(
    r"\b(?:reload(?:ed|ing)?|re-?read|read again|picked up|hot[- ]?load(?:ed)?)\b", re.IGNORECASE
)
_DIGITS: Final = re.compile(r"\d+")
_NUMBER: Final = "\ue000"  #: a mark that no log has, for any number
_WORD: Final = re.compile(r"[^\s,;:'\"`()\[\]<>=]+")
MOST_OF_A_LOG: Final = 1 << 21  #: characters that are looked at
MOST_OF_A_LINE: Final = 200  #: characters; longer ones are data
MOST_TROUBLES: Final = 4
FEWEST_LOADED: Final = 3  #: words that a log has to name, so that it is not chance


@dataclass(frozen=True, slots=True)
class KeptLog:
    """The log of one start. `path` is that on the server, empty where it is not known; `before` what the log said just before the start."""

    text: str
    is_good: bool
    path: str = ""
    before: str = ""


def learn_from_logs(
    logs: Sequence[KeptLog], words: Mapping[str, frozenset[str]], paths: Iterable[str]
) -> Iterator[Guess]:
    """What logs of starts say. `words` are those of lists by their names, `paths` the files of the game."""
    good = [_Log(log) for log in logs if log.is_good]
    failed = [_Log(log) for log in logs if not log.is_good]
    pattern = _path_of([log.path for log in logs if log.path])
    if pattern:
        yield Guess(("trouble", "log"), pattern, f"in {counted(len(logs), 'start')}", support=len(logs))
    yield from _ready(good, failed)
    yield from _closed(good, failed)
    yield from _troubles(good, failed)
    yield from _loaded(good, words)
    yield from _read_again(good, paths)


class _Log:
    """The lines of the log of one start without their times, and their shapes, with a mark for each number.

    Of a file with several starts it is the last one; `before` are the shapes of the lines before it.
    """

    def __init__(self, log: KeptLog) -> None:
        lines = _lines(log.text[:MOST_OF_A_LOG])
        shapes = [_shape(line) for line in lines]
        begin = _last_start(shapes)
        self.lines, self.shapes = lines[begin:], shapes[begin:]
        self.before = shapes[:begin] or [_shape(line) for line in _lines(log.before)]
        self.counts = Counter(self.shapes)


def _lines(text: str) -> list[str]:
    return [line for line in map(_plain, text.replace(_NUMBER, "").splitlines()) if line]


def _last_start(shapes: Sequence[str]) -> int:
    """Where the last start begins: where the first two lines of the log, which have words, are there again."""
    head = shapes[:2]
    if len(head) < 2 or not all(re.search(r"[^\W\d_]{2}", shape) for shape in head) or head[0] == head[1]:
        return 0
    return max(at for at in range(len(shapes)) if shapes[at : at + 2] == head)


def _plain(line: str) -> str:
    line = line.strip()
    found = _TIME.match(line)
    return line[found.end() :] if found is not None and len(line) <= MOST_OF_A_LINE else line


def _shape(line: str) -> str:
    return _DIGITS.sub(_NUMBER, line) if len(line) <= MOST_OF_A_LINE else ""


def _pattern(shape: str) -> str:
    """A regular expression for lines of a shape."""
    return r"\d+".join(escaped(part) for part in shape.split(_NUMBER))


# --- ready, and closed ------------------------------------------------------------------------------------------------


def _ready(good: Sequence[_Log], failed: Sequence[_Log]) -> Iterator[Guess]:
    if not good:
        return
    bad = Counter(shape for log in failed for shape in log.counts)
    common = [shape for shape in good[0].counts if shape and all(log.counts[shape] == 1 for log in good)]
    telling = [shape for shape in common if _READY.search(shape) and not _NOT.search(shape)]
    if not telling and len(good) > 1 and failed:
        # In words that are not known it is the line with which all of them end, and no failed one does.
        telling = [shape for shape in common if not bad[shape] and all(log.shapes[-1] == shape for log in good)]
    # A game may be ready and fail then; but a line that no failed start has tells more.
    telling = [shape for shape in telling if not bad[shape]] or telling
    if not telling:
        return
    last = max(telling, key=lambda shape: min(log.shapes.index(shape) / len(log.shapes) for log in good))
    reason = f"in {len(good)} of {counted(len(good), 'good start')}"
    reason += f", in {bad[last] or 'none'} of {counted(len(failed), 'failed one')}" if failed else ""
    yield Guess(("trouble", "ready_pattern"), _pattern(last), reason, support=len(good))


def _closed(good: Sequence[_Log], failed: Sequence[_Log]) -> Iterator[Guess]:
    """The last line of logs whose game has ended, or of what a log said before a start; in no start does another line follow it."""
    ended = [*(log.shapes for log in good), *(log.before for log in (*good, *failed))]
    last = Counter(
        shapes[-1] for shapes in ended if shapes and _CLOSED.search(shapes[-1]) and not _NOT.search(shapes[-1])
    )
    for shape, times in last.most_common(1):
        if not any(shape in log.shapes[:-1] for log in good):
            reason = f"the last line of {counted(times, 'log')}"
            yield Guess(("trouble", "closed_pattern"), _pattern(shape), reason, support=times)


# --- trouble ----------------------------------------------------------------------------------------------------------


def _troubles(good: Sequence[_Log], failed: Sequence[_Log]) -> Iterator[Guess]:
    """Words for trouble, or else lines, that failed starts have and no good one has."""
    at = ("trouble", "log_patterns")
    if not good:
        return
    said_well = "\n".join(line for log in good for line in log.lines)
    levels = Counter(word for log in failed for word in {word for line in log.lines for word in _LEVEL.findall(line)})
    clear = [word for word in levels if not re.search(rf"\b{word}\b", said_well)]
    explained = [log for log in failed if any(re.search(rf"\b{w}\b", line) for w in clear for line in log.lines)]
    for word in sorted(clear, key=lambda word: (-levels[word], word))[:MOST_TROUBLES]:
        yield Guess(at, rf"\b{word}\b", _of_failed(levels[word], failed, good), True, levels[word])
    shapes_of_good = {shape for log in good for shape in log.counts}
    rest = [log for log in failed if log not in explained]
    seen = Counter(begin for log in rest for begin in _begins(log, shapes_of_good))
    for begin, times in seen.most_common(MOST_TROUBLES):
        if begin and not any(shape.startswith(begin) for shape in shapes_of_good):
            yield Guess(at, _pattern(begin), _of_failed(times, failed, good), True, times)


def _begins(log: _Log, shapes_of_good: Collection[str]) -> set[str]:
    """What the lines of trouble in a failed start begin with; where none says so, what its last line does."""
    others = [shape for shape in log.shapes if shape and shape not in shapes_of_good]
    telling = {_begin(shape) for shape in others if _TELLS_TROUBLE.search(_begin(shape))}
    return telling or {_begin(shape) for shape in others[-1:] if shape == log.shapes[-1]}


def _begin(shape: str) -> str:
    """What a line begins with, up to what may be another word the next time: a path, a number, a quoted word."""
    found = re.search(rf"{_NUMBER}|['\"`]|\S*[/\\]\S|\S+\.\w{{2,5}}\b", shape)
    begin = shape if found is None else shape[: found.start()].rstrip()
    return begin if len(begin.split()) > 1 else ""


def _of_failed(times: int, failed: Sequence[_Log], good: Sequence[_Log]) -> str:
    return f"in {times} of {counted(len(failed), 'failed start')}, in none of {counted(len(good), 'good one')}"


# --- what it loaded, what it read again --------------------------------------------------------------------------------


def _loaded(good: Sequence[_Log], words: Mapping[str, frozenset[str]]) -> Iterator[Guess]:
    """Lines of one form that name, one by one, the words of a list."""
    known = {word for held in words.values() for word in held}
    forms: dict[str, dict[str, str]] = {}  # what is behind each word, by what is before it
    for line in {line for log in good for line in log.lines if len(line) <= MOST_OF_A_LINE}:
        for match in _WORD.finditer(line):
            word = match[0].rstrip(".!")
            if word in known and re.search(r"[^\W\d_]", line[: match.start()]):
                forms.setdefault(_shape(line[: match.start()]), {})[word] = _shape(line[match.start() + len(word) :])
    found = [
        (len(held & behind.keys()) / len(held | behind.keys()), name, before)
        for before, behind in forms.items()
        for name, held in words.items()
        if len(held & behind.keys()) >= FEWEST_LOADED
    ]
    taken: set[str] = set()
    for share, name, before in sorted(found, key=lambda one: (-one[0], one[1], one[2])):
        if share < ALIKE or taken & {name, before}:
            continue  # of two lists of the same words one is enough
        taken |= {name, before}
        ends = set(forms[before].values())
        end = f"(?P<name>\\S+?){_pattern(ends.pop())}$" if len(ends) == 1 else r"(?P<name>[^\s,;:()]+)"
        line = f"{_pattern(before)}{end}"
        named = words[name] & forms[before].keys()
        reason = f"{len(named)} of {counted(len(words[name]), 'word')} in {counted(len(good), 'log')}"
        yield Guess(("trouble", "loaded"), {"line": line, "list": name}, reason, True, len(named))


ALIKE: Final = 0.8  #: share of the words of a list and of those that lines name, which both have


def _read_again(good: Sequence[_Log], paths: Iterable[str]) -> Iterator[Guess]:
    """Files that the game says it has read again while it runs."""
    lines = [line for log in good for line in log.lines if _READ_AGAIN.search(line) and not _NOT.search(line)]
    names = Counter(PurePosixPath(path).name for path in paths)
    for path in sorted(paths):
        name = PurePosixPath(path).name
        wanted = {path, name} if names[name] == 1 else {path} - {name}
        seen = sum(any(word.rstrip(".") in wanted for word in _WORD.findall(line)) for line in lines)
        if seen and "." in name:
            yield Guess(
                ("files", path, "takes_effect"), "reload", f"in {counted(seen, 'line')} of the log", support=seen
            )


# --- where it is ------------------------------------------------------------------------------------------------------


def _path_of(paths: Sequence[str]) -> str:
    """The path of the log, or a pattern that fits all of them; empty where they are not of one form."""
    if len(set(paths)) <= 1:
        return paths[0] if paths else ""
    forms = {re.sub(r"\*(?:[-_. ]?\*)+", "*", _DIGITS.sub("*", path)) for path in paths}
    return forms.pop() if len(forms) == 1 else ""
