"""Lists and numbers in sentences."""

from __future__ import annotations

from collections.abc import Sequence

NUMBERS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight")


def listed(words: Sequence[str], last: str = "and") -> str:
    """Words as a list in a sentence: a, b and c."""
    if len(words) < 2:
        return "".join(words)
    return f"{', '.join(words[:-1])} {last} {words[-1]}"


def number_word(count: int) -> str:
    """A small number as a word, a larger one in digits."""
    return NUMBERS[count] if count < len(NUMBERS) else str(count)
