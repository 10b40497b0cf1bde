"""The names of languages, by their codes of BCP 47: language, and region where it matters."""

from __future__ import annotations

from functools import lru_cache

from babel import Locale, UnknownLocaleError


@lru_cache(maxsize=512)
def language_name(code: str) -> str | None:
    """The name of a language in US English, by CLDR; None for what is none.

    >>> language_name("de"), language_name("pt-BR"), language_name("xx")
    ('German', 'Portuguese (Brazil)', None)
    """
    try:
        return Locale.parse(code, sep="-").get_display_name("en")
    except (UnknownLocaleError, ValueError):
        return None


def is_language(code: str) -> bool:
    return language_name(code) is not None
