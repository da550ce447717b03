"""What is said when a text is read: numbers, dates, times, money, units, letters and abbreviations in words.

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
    "Vol.": "volume",
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
    "hrs": "hours",
    "hr": "hours",
    "mins": "minutes",
    "secs": "seconds",
    "sec": "seconds",
    "µm": "micrometres",
    "μm": "micrometres",
    "nm": "nanometres",
    "cm²": "square centimetres",
    "mm²": "square millimetres",
    "cm³": "cubic centimetres",
    "m/s²": "metres a second squared",
    "l/h": "litres an hour",
    "mm/h": "millimetres an hour",
    "kbit/s": "kilobits a second",
    "Mbit/s": "megabits a second",
    "GHz": "gigahertz",
    "kB": "kilobytes",
    "kV": "kilovolts",
    "mA": "milliamps",
    "GW": "gigawatts",
    "GWh": "gigawatt hours",
    "MWh": "megawatt hours",
    "kJ": "kilojoules",
    "kcal": "kilocalories",
    "kPa": "kilopascals",
    "hPa": "hectopascals",
    "psi": "pounds a square inch",
    "rpm": "revolutions a minute",
    "bpm": "beats a minute",
    "fps": "frames a second",
    "dpi": "dots an inch",
    "hp": "horsepower",
    "dBFS": "D B F S",
    "px": "pixels",
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
_AMOUNT = r"(?:\s?(?:thousand|million|billion|trillion)|(?:[kKmMB]|bn)\b)?"
_YEAR = r"1[0-9]\d\d|20\d\d"
_DASH = r"\s?[–-]\s?"
_NAMES_OF_DIGITS = ("oh", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine")
_ROMAN = r"(?:X{0,3}(?:IX|IV|V?I{0,3}))"
_COUNTED = (
    "War|Part|Chapter|Act|Scene|Book|Volume|Vol|Phase|Type|Class|Stage|Section|Series|Mark|Level|Article|Bowl|Episode|Apollo|"
    "Schedule|Table|Figure|Grade|Title|Appendix|Division|Group|Tier"
)
_WHEN = "in|since|by|until|till|from|before|after|circa|year|early|late|mid|autumn|spring|summer|winter"


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
    short = {"k": " thousand", "m": " million", "bn": " billion", "b": " billion"}
    return short.get(text.strip().lower(), f" {text.strip()}") if text else ""


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


def _digits(text: str) -> str:
    """Digits one by one, a pause between groups."""
    groups = re.findall(r"\d+", text)
    return ", ".join(" ".join(_NAMES_OF_DIGITS[int(digit)] for digit in group) for group in groups)


def _telephone(match: "re.Match[str]") -> str:
    text = match[0]
    groups = re.findall(r"\d+", text)
    count = sum(map(len, groups))
    thousands = (
        len(groups) > 1 and all(len(group) == 3 for group in groups[1:]) and "-" not in text and text[0] not in "+0("
    )
    if len(groups) == 1 and text[0] not in "+0":
        return text
    if count < 7 or count > _MOST_DIGITS or thousands or (len(groups) == 2 and all(len(group) == 4 for group in groups)):
        return text
    return f"{'plus ' if text.startswith('+') else ''}{_digits(text)}"


def _model(match: "re.Match[str]") -> str:
    """Letters and a number, as of roads and machines: A380 is “A three eighty”, M25 “M twenty five”."""
    letters, digits, tail = " ".join(match["letters"]), match["digits"], match["tail"] or ""
    if digits.startswith("0") or len(digits) > 4:
        said = " ".join(_NAMES_OF_DIGITS[int(digit)] for digit in digits)
    elif len(digits) == 3 and digits[1:] != "00":
        said = f"{_say(digits[0])} {'oh ' if digits[1] == '0' else ''}{_say(str(int(digits[1:])))}"
    elif len(digits) == 4:
        said = _year(digits)
    else:
        said = _say(digits)
    return f"{letters} {said}{' ' + ' '.join(tail) if tail else ''}"


def _roman(text: str) -> int:
    values = {"I": 1, "V": 5, "X": 10}
    total = 0
    for here, behind in zip(text, [*text[1:], ""], strict=True):
        value = values[here]
        total += -value if behind and values[behind] > value else value
    return total


def _numbered(match: "re.Match[str]") -> str:
    return f"{match['word']} {_say(str(_roman(match['roman'])))}" if match["roman"] else match[0]


def _reigning(match: "re.Match[str]") -> str:
    return f"{match['name']} the {_say(str(_roman(match['roman'])), 'ordinal')}" if len(match["roman"]) > 1 else match[0]


_MONTH_LIST = tuple(_MONTHS.split("|")[:12])


def _date(day: str, month: str, year: str) -> str | None:
    if not (1 <= int(month) <= 12 and 1 <= int(day) <= 31):
        return None
    return f"the {_say(day.lstrip('0'), 'ordinal')} of {_MONTH_LIST[int(month) - 1]} {_year(year)}"


def _iso(match: "re.Match[str]") -> str:
    return _date(match[3], match[2], match[1]) or match[0]


def _dotted(match: "re.Match[str]") -> str:
    # Where both orders are possible the day stands first with dots, as it does most often with strokes.
    return _date(match[1], match[3], match[4]) or _date(match[3], match[1], match[4]) or match[0]


def _capitals(match: "re.Match[str]") -> str:
    """Short words in capitals are spelled: BBC, USB; longer ones with vowels are words."""
    word, plural = match[1], match[2] or ""
    vowels = sum(letter in "AEIOU" for letter in word)
    if word in _SAID_AS_WORDS or (len(word) > 3 and vowels) or len(word) > 6:
        return match[0]
    return " ".join(word) + ("'s" if plural else "")


_SAID_AS_WORDS = frozenset(("OK", "NASA", "NATO", "RAM", "ROM", "SIM", "PIN", "CAD", "GIF", "LASER", "RADAR", "SONAR"))


def _web(match: "re.Match[str]") -> str:
    said = match[0].removeprefix("https://").removeprefix("http://").removeprefix("www.")
    start = "w w w dot " if "www." in match[0] else ""
    return start + said.replace("@", " at ").replace(".", " dot ").replace("/", " slash ").replace("-", " dash ")


def _day(match: "re.Match[str]") -> str:
    month = _MONTH_NAMES.get(match["month"].lower(), match["month"])
    return f"the {_say(match['day'], 'ordinal')} of {month}"


_FRACTION_WORDS = {"1/2": "a half", "1/3": "a third", "2/3": "two thirds", "1/4": "a quarter", "3/4": "three quarters"}
_NO_NOUNS = r"(?:was|has|his|this|its|thus|perhaps|always|across|besides|sometimes|towards|afterwards|unless|as|is)\b"


def _at_year(match: "re.Match[str]") -> str:
    return f"{match['when']} {_year(match['year'])}"


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
_COMPASS = {"N": "north", "S": "south", "E": "east", "W": "west"}
_units = "|".join(re.escape(unit) for unit in sorted(_UNITS, key=len, reverse=True))
_RULES: tuple[tuple["re.Pattern[str]", Callable[["re.Match[str]"], str]], ...] = (
    (re.compile(r"\bc\.\s?(?=\d{3,4}\b)"), lambda m: "circa "),
    (re.compile(r"\b([ap])\.\s?m\.(?=\s+[a-z]|[,;:)]|$)"), lambda m: f"{m[1]}m"),
    (re.compile(rf"([£$€¥])\s?({_NUMBER})\s?[–-]\s?\1\s?(?={_NUMBER})"), lambda m: f"{_say(m[2])} to {m[1]}"),
    (re.compile(r"\b(\d{1,2})\s?['′’]\s?(\d{1,2})\s?(?:[\"″”]|''|’’)"), lambda m: f"{_say(m[1])} foot {_say(m[2])}"),
    (re.compile(r"(?<=\d)\s?°\s?([NSEW])\b"), lambda m: f" degrees {_COMPASS[m[1]]}"),
    (re.compile(r"(?<=\d)\s(?=[1-3]/[2-4](?![\d/]))"), lambda m: " and "),
    (
        re.compile(rf"(?P<sign>[£$€¥])\s?(?P<number>{_NUMBER})(?P<amount>{_AMOUNT})(?P<after>)", re.UNICODE),
        _money,
    ),
    (
        re.compile(
            r"\b[\w.+-]+@[\w-]+(?:\.[\w-]+)+|(?:https?://|www\.)[\w./-]*\w|\b[a-z][\w-]+\.(?:com|org|net|edu|gov)\b"
        ),
        _web,
    ),
    (re.compile(r"(?<!\d)\d{1,3}(?:[ \u00a0\u2009\u202f]\d{3})+(?![\d-])"), lambda m: re.sub(r"\D", "", m[0])),
    (re.compile(r"\b(\d{4})-(\d\d)-(\d\d)\b"), _iso),
    (re.compile(r"\b(\d{1,2})([./])(\d{1,2})\2(\d{4})\b"), _dotted),
    (re.compile(r"(?<![\w.,])\+?\(?\d[\d() -]{5,18}\d\b(?![.,]\d)"), _telephone),
    (re.compile(r"\b24/7\b"), lambda m: "twenty four seven"),
    (re.compile(r"\b9/11\b"), lambda m: "nine eleven"),
    (
        re.compile(r"(?<![\d/])([1-3])/([2-4])(?![\d/])"),
        lambda m: _FRACTION_WORDS.get(m[0], m[0]),
    ),
    (re.compile(rf"\b(?P<word>{_COUNTED})\s(?P<roman>{_ROMAN})\b(?!['’])"), _numbered),
    (re.compile(rf"\b(?P<name>[A-Z][a-zé]+)\s(?P<roman>(?=[IVX]){_ROMAN})\b(?!['’])"), _reigning),
    (re.compile(r"\bSt\.?(?=\s+[A-Z])"), lambda m: "saint"),
    (re.compile(r"(?<=[a-z]\s)St\.?(?=$|[\s,;)])"), lambda m: "street"),
    (re.compile(r"(?<=\s)(?:#|№\s?)(?=\d)|^(?:#|№\s?)(?=\d)"), lambda m: "number "),
    (re.compile(r"[’'‘](?P<ten>\d)0s\b|(?<=\bthe\s)(?P<bare>[2-9])0s\b"), lambda m: _DECADES[int(m["ten"] or m["bare"])]),
    (re.compile(r"(?<![\w.,\d])[−-](?=\d)|(?<=\()[−-](?=\d)"), lambda m: "minus "),
    (re.compile(r"(?<=\d)\s?(?:in\b(?=\s?(?:[.,;:)x×]|$))|[″\"](?=[\s.,;)]))"), lambda m: " inches"),
    (re.compile(r"(?<=\d)\s?[x×]\s?(?=\d)"), lambda m: " by "),
    (re.compile(r"(?<=\d)\s?\+\s?(?=\d)"), lambda m: " plus "),
    (re.compile(r"\s=\s"), lambda m: " equals "),
    (re.compile(rf"\b(?P<day>\d{{1,2}})(?:st|nd|rd|th)?\s(?P<month>{_MONTHS})\b\.?"), _day),
    (re.compile(rf"\b(?P<month>{_MONTHS})\b\.?\s(?P<day>\d{{1,2}})(?:st|nd|rd|th)?\b(?!\s?[%:])(?!\d)"), _day),
    (
        re.compile(r"\b(?P<hour>[01]?\d|2[0-3])[:.](?P<minute>[0-5]\d)(?P<half>\s?[ap]\.?m\b)"),
        lambda m: _clock(m) + m["half"],
    ),
    (re.compile(r"\b(?P<hour>[01]?\d|2[0-3]):(?P<minute>[0-5]\d)\b(?P<half>)"), _clock),
    (re.compile(rf"\b({_YEAR}){_DASH}({_YEAR})\b"), lambda m: f"{_year(m[1])} to {_year(m[2])}"),
    (re.compile(rf"\b({_YEAR}){_DASH}(\d\d)\b(?![.,]?\d)"), lambda m: f"{_year(m[1])} to {_say(m[2])}"),
    (re.compile(rf"\b(?P<when>{_WHEN})\s(?P<year>{_YEAR})\b(?![.,]\d|\s?[%°])", re.IGNORECASE), _at_year),
    (re.compile(r"\b(?P<letters>[A-Z]{1,3})-?(?P<digits>\d{1,5})(?P<tail>[A-Z]?)\b(?![.,]\d)"), _model),
    (re.compile(r"\b(?P<number>[248]|10)K\b"), lambda m: f"{_say(m['number'])} K"),
    (re.compile(r"\b(?P<number>\d+(?:\.\d+)?)(?P<amount>[KMB])\b"), lambda m: f"{_say(m['number'])}{_amount(m['amount'])}"),
    (re.compile(rf"\b({_YEAR})\s(?=(?!{_NO_NOUNS})[a-z]{{3,}}s\b)"), lambda m: f"{_say(m[1])} "),
    (re.compile(r"(?<=\d0s)\s?[–-]\s?(?=\d{4}s\b)"), lambda m: " to "),
    (re.compile(r"\b(1[1-9]|20)(\d)0s\b"), lambda m: _decade(m[1], m[2])),
    (re.compile(rf"\b({_NUMBER})\s?[–-]\s?(?={_NUMBER})"), lambda m: f"{_say(m[1])} to "),
    (re.compile(rf"\b(?P<number>{_NUMBER})\s?(?P<unit>{_units})(?![\w²³/])"), _unit),
    (re.compile(r"\b(\d+)(?:st|nd|rd|th)\b"), lambda m: _say(m[1], "ordinal") if len(m[1]) <= _MOST_DIGITS else _say(m[1])),
    (re.compile(r"(?<![\d.,])\b(1[1-9]\d\d|20[0-4]\d)\b(?![.,]\d)"), lambda m: _year(m[1])),
    (re.compile(_NUMBER), lambda m: f" {_say(m[0])} "),
)
_DIGIT = re.compile(r"\d")
_WITHOUT_DIGITS = tuple((pattern, say) for pattern, say in _RULES if r"\d" not in pattern.pattern)
"""Rules that can change a text without a digit; most texts have none."""
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
    if not said.isascii():
        for sign, word in _FRACTIONS.items():
            said = re.sub(rf"(?<=\d){sign}", f" and {word}", said).replace(sign, word)
    for pattern, say in _RULES if _DIGIT.search(said) else _WITHOUT_DIGITS:
        said = pattern.sub(say, said)
    if not text.isupper():
        said = re.sub(r"\b([A-Z]{2,})(s?)\b", _capitals, said)
    # A letter that stands alone is called by its name; the library takes an A for the article.
    said = re.sub(r"(?<=\b[A-Z]\s)A\b|\bA(?=\s[A-Z]\b)", "ay", said)
    if "&" in said:
        said = re.sub(r"\s?&\s?", " and ", said)
    if "/" in said:
        said = re.sub(r"(?<=\w)/(?=\w)", " ", said)
    return re.sub(r"\s+(?=[.,;:!?])", "", re.sub(r"\s+", " ", said)).strip()
