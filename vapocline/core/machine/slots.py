"""Short names for a machine's slots: as much of a name as fits, readable, no two alike."""

from __future__ import annotations

import unicodedata
from collections.abc import Collection

from vapocline.core.machine.machine import Characters, Machine

SHORTEST_WORD = 2  # letters that stay of a word however short the name must be
VOWELS = set("aeiouAEIOU")


def short_name(name: str, machine: Machine, taken: Collection[str] = ()) -> str:
    """A name the machine's slots can hold, unlike those already there (whatever their case)."""
    length = machine.program.name_length or 60
    plain = _spelled(name, machine.program.characters) or "P"
    others = {one.casefold() for one in taken}
    fitting = _fitted(plain, length)
    if fitting.casefold() not in others:
        return fitting
    for number in range(2, 1000):
        end = str(number)
        if len(end) > length:
            break
        found = f"{_fitted(plain, length - len(end)).rstrip()}{end}"
        if found.casefold() not in others:
            return found
    raise ValueError(f"no name of {length} characters is free")


def _spelled(name: str, characters: Characters) -> str:
    """The name in the characters a machine knows: accents off, other signs as spaces."""
    if characters == "any":
        return " ".join(name.split())
    bare = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
    kept = "".join(one if one.isalnum() else " " for one in bare)
    words = " ".join(kept.split())
    return words.upper() if characters == "capitals" else words


def _fitted(name: str, length: int) -> str:
    """The name cut to a length: inner vowels go first, from the end; then spaces; then the tail."""
    if len(name) <= length:
        return name
    letters = list(name)
    for i in range(len(letters) - 1, 0, -1):
        if len(letters) <= length:
            break
        starts = letters[i - 1] == " " if i else True
        if letters[i] in VOWELS and not starts:
            del letters[i]
    short = "".join(letters)
    if len(short) > length:
        words = short.split()
        short = "".join(words)
        if len(short) > length:
            short = _shares(words, length)
    return short[:length]


def _shares(words: list[str], length: int) -> str:
    """A bit of each word, the first words whole as long as each later one keeps its beginning."""
    kept = [word[:SHORTEST_WORD] for word in words]
    while sum(map(len, kept)) > length and len(kept) > 1:
        kept.pop()
    for i, word in enumerate(words[: len(kept)]):
        room = length - sum(map(len, kept))
        kept[i] = word[: len(kept[i]) + room]
    return "".join(kept)


def fits(name: str, machine: Machine) -> bool:
    """Whether a machine's slots can hold a name as it is."""
    length = machine.program.name_length or 60
    return 0 < len(name) <= length and _spelled(name, machine.program.characters) == name
