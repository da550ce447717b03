"""What is said when a text is read: numbers, dates, times, money, units and abbreviations in words.

English is spoken out here; of other languages the numbers are left to the phoneme library, which knows how they count.
"""

import re
from collections.abc import Callable

from num2words import num2words

_MOST_DIGITS = 15
_MONTHS = (
    "January|February|March|April|May|June|July|August|September|October|November|December|"
    "Jan|Feb|Mar|Apr|Jun|Jul|Aug|Sept?|Oct|Nov|Dec"
)
_MONTH_NAMES = {
    "jan": "January",
    "feb": "February",
    "mar": "March",
    "apr": "April",
    "jun": "June",
    "jul": "July",
    "aug": "August",
    "sep": "September",
    "sept": "September",
    "oct": "October",
    "nov": "November",
    "dec": "December",
}
_ABBREVIATIONS = {
    "Dr.": "doctor",
    "Mr.": "mister",
    "Mrs.": "missis",
    "Ms.": "miz",
    "Prof.": "professor",
    "St.": "saint",
    "Mt.": "mount",
    "Nos.": "numbers",
    "No.": "number",
    "Fig.": "figure",
    "fig.": "figure",
    "vs.": "versus",
    "etc.": "et cetera",
    "e.g.": "for example",
    "i.e.": "that is",
    "approx.": "approximately",
    "ca.": "circa",
    "Jr.": "junior",
    "Sr.": "senior",
    "Co.": "company",
    "Ltd.": "limited",
    "Inc.": "incorporated",
    "p.m.": "P M",
    "a.m.": "A M",
    "dept.": "department",
    "vol.": "volume",
    "p.": "page",
    "pp.": "pages",
}
_UNITS = {
    "km/h": "kilometres an hour",
    "m/s": "metres a second",
    "mph": "miles an hour",
    "km": "kilometres",
    "cm": "centimetres",
    "mm": "millimetres",
    "m": "metres",
    "m²": "square metres",
    "km²": "square kilometres",
    "m³": "cubic metres",
    "kg": "kilograms",
    "mg": "milligrams",
    "g": "grams",
    "t": "tonnes",
    "l": "litres",
    "ml": "millilitres",
    "kW": "kilowatts",
    "MW": "megawatts",
    "kWh": "kilowatt hours",
    "W": "watts",
    "V": "volts",
    "Hz": "hertz",
    "kHz": "kilohertz",
    "MHz": "megahertz",
    "dB": "decibels",
    "MB": "megabytes",
    "GB": "gigabytes",
    "TB": "terabytes",
    "ha": "hectares",
    "ft": "feet",
    "yd": "yards",
    "mi": "miles",
    "lb": "pounds",
    "lbs": "pounds",
    "oz": "ounces",
    "min": "minutes",
    "h": "hours",
    "s": "seconds",
    "ms": "milliseconds",
    "°C": "degrees Celsius",
    "°F": "degrees Fahrenheit",
    "°": "degrees",
    "%": "per cent",
    "‰": "per mille",
}
_MONEY = {"£": ("pound", "pounds"), "$": ("dollar", "dollars"), "€": ("euro", "euros"), "¥": ("yen", "yen")}
_FRACTIONS = {"½": "a half", "¼": "a quarter", "¾": "three quarters", "⅓": "a third", "⅔": "two thirds"}
_NUMBER = r"\d{1,3}(?:,\d{3})+(?:\.\d+)?|\d+(?:\.\d+)?"
_AMOUNT = r"(?:\s?(?:thousand|million|billion|trillion)|(?:k|m|bn)\b)?"


def _say(number: str, to: str = "cardinal") -> str:
    """A number of digits in words; one too long to be counted is said digit by digit."""
    plain = number.replace(",", "")
    if sum(c.isdigit() for c in plain) > _MOST_DIGITS:
        return " ".join(_say(c) for c in plain if c.isdigit())
    said: str = num2words(float(plain) if "." in plain else int(plain), lang="en", to=to)
    return said.replace("-", " ").replace(",", "")


def _year(digits: str) -> str:
    said: str = num2words(int(digits), lang="en", to="year")
    return said.replace("-", " ")


def _amount(text: str) -> str:
    return {"k": " thousand", "m": " million", "bn": " billion"}.get(text.strip(), f" {text.strip()}") if text else ""


def _money(match: "re.Match[str]") -> str:
    sign, number, amount, after = match["sign"], match["number"], match["amount"] or "", match["after"] or ""
    one, many = _MONEY[sign]
    whole, _, rest = number.partition(".")
    if not amount and len(rest) == 2:
        unit = one if whole.replace(",", "") == "1" else many
        return f"{_say(whole)} {unit} {_say(rest)}{after}" if int(rest) else f"{_say(whole)} {unit}{after}"
    return f"{_say(number)}{_amount(amount)} {one if number == '1' and not amount else many}{after}"


def _unit(match: "re.Match[str]") -> str:
    number, unit = match["number"], _UNITS[match["unit"]]
    if number == "1":
        unit = re.sub(r"^(feet)\b|^(\w+?)s\b", lambda m: "foot" if m[1] else m[2], unit)
    return f"{_say(number)} {unit}"


def _clock(match: "re.Match[str]") -> str:
    hour, minute = int(match["hour"]), int(match["minute"])
    if not minute:
        return f"{_say(str(hour))} o'clock" if not match["half"] else _say(str(hour))
    return f"{_say(str(hour))} {'oh ' if minute < 10 else ''}{_say(str(minute))}"


def _day(match: "re.Match[str]") -> str:
    month = _MONTH_NAMES.get(match["month"].lower(), match["month"])
    return f"the {_say(match['day'], 'ordinal')} of {month}"


_units = "|".join(re.escape(unit) for unit in sorted(_UNITS, key=len, reverse=True))
_RULES: tuple[tuple["re.Pattern[str]", Callable[["re.Match[str]"], str]], ...] = (
    (
        re.compile(rf"(?P<sign>[£$€¥])\s?(?P<number>{_NUMBER})(?P<amount>{_AMOUNT})(?P<after>)", re.UNICODE),
        _money,
    ),
    (re.compile(rf"\b(?P<day>\d{{1,2}})(?:st|nd|rd|th)?\s(?P<month>{_MONTHS})\b\.?"), _day),
    (re.compile(rf"\b(?P<month>{_MONTHS})\b\.?\s(?P<day>\d{{1,2}})(?:st|nd|rd|th)?\b(?!\s?[%:])(?!\d)"), _day),
    (
        re.compile(r"\b(?P<hour>[01]?\d|2[0-3])[:.](?P<minute>[0-5]\d)(?P<half>\s?[ap]\.?m\b)"),
        lambda m: _clock(m) + m["half"],
    ),
    (re.compile(r"\b(?P<hour>[01]?\d|2[0-3]):(?P<minute>[0-5]\d)\b(?P<half>)"), _clock),
    (re.compile(r"\b(1[1-9]\d\d|20\d\d)\s?[–-]\s?(1[1-9]\d\d|20\d\d)\b"), lambda m: f"{_year(m[1])} to {_year(m[2])}"),
    (re.compile(r"\b(1[1-9]|20)(\d)0s\b"), lambda m: _decade(m[1], m[2])),
    (re.compile(rf"\b({_NUMBER})\s?[–-]\s?(?={_NUMBER})"), lambda m: f"{_say(m[1])} to "),
    (re.compile(rf"\b(?P<number>{_NUMBER})\s?(?P<unit>{_units})(?![\w²³/])"), _unit),
    (re.compile(r"\b(\d+)(?:st|nd|rd|th)\b"), lambda m: _say(m[1], "ordinal") if len(m[1]) <= _MOST_DIGITS else _say(m[1])),
    (re.compile(r"(?<![\d.,])\b(1[1-9]\d\d|20[0-4]\d)\b(?![.,]\d)"), lambda m: _year(m[1])),
    (re.compile(_NUMBER), lambda m: f" {_say(m[0])} "),
)
_DECADES = (
    "hundreds",
    "tens",
    "twenties",
    "thirties",
    "forties",
    "fifties",
    "sixties",
    "seventies",
    "eighties",
    "nineties",
)
_SHORT = re.compile(
    r"(?<![\w.])("
    + "|".join(re.escape(word) for word in sorted(_ABBREVIATIONS, key=len, reverse=True))
    + r")(?P<end>\s*$|(?=\s|[,;:)]))"
)


def _decade(century: str, ten: str) -> str:
    return f"{_say(century)} {_DECADES[int(ten)]}"


def _abbreviation(match: "re.Match[str]") -> str:
    # The full stop of an abbreviation at the very end ends the sentence too.
    return _ABBREVIATIONS[match[1]] + ("." if match["end"] is not None and match.end() == len(match.string) else "")


def spoken_out(text: str, language: str = "en-gb") -> str:
    """The text as it is said. Words stay as they are; marks that make a pause stay too.

    Args:
        language: a code of `syllables.LANGUAGES`; only English is spoken out here.
    """
    if not language.startswith("en"):
        return text
    said = _SHORT.sub(_abbreviation, text)
    for sign, word in _FRACTIONS.items():
        said = re.sub(rf"(?<=\d){sign}", f" and {word}", said).replace(sign, word)
    for pattern, say in _RULES:
        said = pattern.sub(say, said)
    said = re.sub(r"\s?&\s?", " and ", said)
    said = re.sub(r"(?<=\w)/(?=\w)", " ", said)
    return re.sub(r"\s+(?=[.,;:!?])", "", re.sub(r"\s+", " ", said)).strip()
