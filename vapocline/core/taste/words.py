"""Flavour words to choose from. The list is open: any other word is taken as well."""

from __future__ import annotations

WORD_GROUPS: dict[str, tuple[str, ...]] = {
    "Fruit": ("berry", "plum", "cherry", "citrus", "stone fruit", "apple", "raisin"),
    "Sweet": ("honey", "caramel", "toffee", "brown sugar", "vanilla", "malt"),
    "Deep": ("cocoa", "dark chocolate", "nut", "toast", "spice", "tobacco"),
    "Light": ("floral", "tea", "herbal", "fresh"),
    "Off": ("grassy", "papery", "woody", "smoky", "ashy", "salty", "sour", "rubbery"),
}
