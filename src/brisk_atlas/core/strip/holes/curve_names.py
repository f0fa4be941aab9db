"""What the mnemonics of well logs stand for: by category, for menus and searches."""

from __future__ import annotations

import re

CATEGORIES = {  # in the order of the menu; the mnemonics are those that several services and the standards share
    "Radioactivity": ("GR", "SGR", "CGR", "GAM", "HSGR", "URAN", "THOR", "POTA"),
    "Resistivity": (
        "RES",
        "ILD",
        "ILM",
        "LLD",
        "LLS",
        "RT",
        "RXO",
        "MSFL",
        "SFL",
        "RD",
        "RS",
        "RDEP",
        "RMED",
        "RLA",
        "AT",
    ),
    "Density": ("RHOB", "RHOZ", "DEN", "DRHO", "PEF", "DPHI"),
    "Porosity": ("NPHI", "TNPH", "PHI", "POR", "NPOR", "PHIT", "PHIE"),
    "Sound": ("DT", "DTC", "DTS", "AC", "SON", "VP", "VS", "DTCO", "DTSM"),
    "Potential": ("SP", "SSP"),
    "Temperature": ("TEMP", "BHT", "TMP", "DTEMP"),
    "Hole": ("CALI", "CAL", "BS", "HCAL", "C1", "C2", "DEVI", "INCL", "AZI", "HAZI", "DIP"),
    "Drilling": ("ROP", "WOB", "RPM", "TQ", "MW", "FLOW"),
    "Core": ("RQD", "REC", "TCR", "FRAC", "KOR"),
}
UNITS = {
    "Radioactivity": ("gapi", "api"), "Resistivity": ("ohmm", "ohm.m"), "Density": ("g/c3", "g/cm3", "g/cc", "kg/m3"),
    "Porosity": ("pu", "v/v"), "Sound": ("us/f", "us/ft", "us/m"), "Potential": ("mv",),
    "Temperature": ("degc", "degf"), "Hole": ("in",),
}  # fmt: skip
OTHER = "Other"
LOGARITHMIC = ("Resistivity",)
DEPTHS = ("DEPT", "DEPTH", "MD", "TDEP", "BOREHOLE-DEPTH", "DMEA", "TVD", "TVDSS", "INDEX")


def category_of(name: str, unit: str = "", about: str = "") -> str:
    """Return the category of a curve by its mnemonic, else by its unit, else by what is stated about it.

    >>> category_of("GR:2"), category_of("X1", "OHMM"), category_of("Q", "", "bulk density"), category_of("ABC")
    ('Radioactivity', 'Resistivity', 'Density', 'Other')
    """
    plain = re.sub(r"[:_ ].*$|\d+$", "", name.upper())
    for category, names in CATEGORIES.items():
        if plain in names or name.upper() in names:
            return category
    for category, units in UNITS.items():
        if unit.strip().lower() in units:
            return category
    words = about.lower()
    for category in CATEGORIES:
        if category.lower() in words or category.lower()[:-3] in words:
            return category
    return OTHER
