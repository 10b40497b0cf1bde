"""Who finds a run and who signs up for it: every reason with its setting, the sentence it comes to, and what contradicts itself."""

import itertools
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from archgate.core.publication import (
    CodeTimes,
    Publication,
    Visitor,
    contradictions,
    sentence_of,
    why_no_sign_up,
    why_not_found,
)
from archgate.core.states import FoundBy, PageSetting, RunStatus, SignsUp, SignUp
from archgate.core.wording import Wording, words_compared

ZONE = ZoneInfo("America/New_York")
NOON = datetime(2027, 3, 1, 17, tzinfo=UTC)
OPEN = Publication(True, RunStatus.PUBLISHED)
ANYBODY, MEMBER, TIED, CODED = Visitor(), Visitor(account=True), Visitor(tied=True), Visitor(code=True)
WINDOW = (datetime(2027, 3, 1, 14, tzinfo=UTC), datetime(2027, 4, 12, 4, tzinfo=UTC))


def settings_of(reasons):
    return [r.setting for r in reasons]


def finds(page, visitor, at=NOON):
    return why_not_found(page, visitor, at, ZONE) == ()


@pytest.mark.parametrize(
    ("found_by", "finders"),
    [
        (FoundBy.EVERYONE, [ANYBODY, MEMBER, TIED, CODED]),
        (FoundBy.ACCOUNT, [MEMBER, TIED, CODED]),
        (FoundBy.INVITED, [TIED, CODED]),
    ],
)
def test_who_finds_a_run(found_by, finders):
    page = replace(OPEN, found_by=found_by)
    assert [v for v in (ANYBODY, MEMBER, TIED, CODED) if finds(page, v)] == finders


def test_a_run_is_public_from_a_moment_until_another_and_those_on_it_find_it_all_the_same():
    page = replace(OPEN, shown_from=NOON, shown_until=NOON + timedelta(days=1))
    second = timedelta(seconds=1)
    assert not finds(page, ANYBODY, NOON - second) and finds(page, ANYBODY, NOON)
    assert finds(page, ANYBODY, NOON + timedelta(days=1) - second)
    assert not finds(page, ANYBODY, NOON + timedelta(days=1))
    assert finds(page, TIED, NOON - second) and finds(page, TIED, NOON + timedelta(days=9))
    (why,) = why_not_found(page, CODED, NOON - second, ZONE)
    assert why.setting is PageSetting.SHOWN and "Mon 1 Mar 2027 at 12:00" in why.staff


def test_nobody_finds_what_is_no_page_a_draft_or_cancelled():
    assert settings_of(why_not_found(replace(OPEN, course_public=False), TIED, NOON, ZONE)) == [
        PageSetting.COURSE
    ]
    for status in (RunStatus.DRAFT, RunStatus.CANCELLED, RunStatus.ARCHIVED):
        assert not any(finds(replace(OPEN, status=status), v) for v in (ANYBODY, MEMBER, TIED, CODED))
    off = replace(OPEN, status=RunStatus.OFF_SALE)
    assert finds(off, TIED) and not finds(off, MEMBER)


def test_every_reason_is_named_with_its_setting_and_what_the_public_hears_tells_nothing():
    page = replace(OPEN, course_public=False, found_by=FoundBy.ACCOUNT, shown_from=NOON)
    reasons = why_not_found(page, ANYBODY, NOON - timedelta(days=1), ZONE)
    assert settings_of(reasons) == [PageSetting.COURSE, PageSetting.SHOWN, PageSetting.FOUND_BY]
    assert {r.public for r in reasons} == {"There is no such course date."}


@pytest.mark.parametrize(
    ("page", "visitor", "state", "reasons"),
    [
        (OPEN, ANYBODY, SignUp.OPEN, []),
        (OPEN, ANYBODY, SignUp.FULL, []),
        (OPEN, ANYBODY, SignUp.NOT_YET, [PageSetting.WINDOWS]),
        (OPEN, ANYBODY, SignUp.CLOSED, [PageSetting.WINDOWS]),
        (replace(OPEN, signs_up=SignsUp.CODE), ANYBODY, SignUp.OPEN, [PageSetting.CODE]),
        (replace(OPEN, signs_up=SignsUp.CODE), CODED, SignUp.OPEN, []),
        (replace(OPEN, signs_up=SignsUp.REQUEST), MEMBER, SignUp.OPEN, [PageSetting.SIGNS_UP]),
        (replace(OPEN, signs_up=SignsUp.STAFF), CODED, SignUp.OPEN, [PageSetting.SIGNS_UP]),
        (replace(OPEN, client=True, elsewhere=True), ANYBODY, SignUp.CLOSED,
         [PageSetting.ELSEWHERE, PageSetting.CLIENT, PageSetting.WINDOWS]),
    ],
)  # fmt: skip
def test_who_signs_up(page, visitor, state, reasons):
    assert settings_of(why_no_sign_up(page, visitor, state, "Said.")) == reasons


def test_the_sentence_says_what_the_settings_come_to():
    page = replace(
        OPEN, found_by=FoundBy.ACCOUNT, signs_up=SignsUp.CODE, shown_from=datetime(2027, 3, 1, 14, tzinfo=UTC)
    )
    assert sentence_of(page, (None, WINDOW[1]), ZONE) == (
        "People with an account find it from Mon 1 Mar 2027 at 09:00; with a code they sign up until Sun 11 Apr 2027 at 23:59."
    )
    assert sentence_of(OPEN, (None, None), ZONE) == "Everyone finds it; they sign up."
    assert "only staff enroll them" in sentence_of(replace(OPEN, signs_up=SignsUp.STAFF), WINDOW, ZONE)
    assert "no public page" in sentence_of(replace(OPEN, course_public=False), WINDOW, ZONE)
    assert "draft" in sentence_of(replace(OPEN, status=RunStatus.DRAFT), WINDOW, ZONE)


def found(page, codes=(), window=WINDOW, at=NOON):
    return contradictions(page, tuple(codes), window, at, ZONE)


STANDS, USED_UP = CodeTimes(None, None, True), CodeTimes(None, None, False)


@pytest.mark.parametrize(
    ("page", "codes", "setting", "words"),
    [
        (replace(OPEN, found_by=FoundBy.INVITED), [], PageSetting.FOUND_BY, "nobody else ever gets that far"),
        (replace(OPEN, client=True), [], PageSetting.CLIENT, "one client only"),
        (replace(OPEN, signs_up=SignsUp.CODE), [], PageSetting.CODE, "there is none"),
        (replace(OPEN, signs_up=SignsUp.CODE), [USED_UP], PageSetting.CODE, "used up"),
        (OPEN, [STANDS], PageSetting.CODE, "nobody is asked"),
        (replace(OPEN, signs_up=SignsUp.CODE), [CodeTimes(None, NOON - timedelta(days=3), True)], PageSetting.CODE,
         "while sign-up is open"),
        (replace(OPEN, signs_up=SignsUp.CODE), [CodeTimes(WINDOW[1] + timedelta(days=1), None, True)], PageSetting.CODE,
         "while sign-up is open"),
        (replace(OPEN, shown_from=NOON, shown_until=NOON), [], PageSetting.SHOWN, "before it becomes so"),
        (replace(OPEN, shown_from=WINDOW[1]), [], PageSetting.SHOWN, "after sign-up closes"),
        (replace(OPEN, shown_until=WINDOW[0]), [], PageSetting.SHOWN, "before sign-up opens"),
        (replace(OPEN, elsewhere=True, signs_up=SignsUp.REQUEST), [], PageSetting.ELSEWHERE, "leads to sign-up elsewhere"),
    ],
)  # fmt: skip
def test_settings_that_contradict_each_other_are_caught(page, codes, setting, words):
    (one,) = found(page, codes)
    assert one.setting is setting and words in one.sentence


def test_a_code_is_no_good_once_sign_up_has_closed():
    page = replace(OPEN, signs_up=SignsUp.CODE)
    (one,) = found(page, [STANDS], at=WINDOW[1] + timedelta(hours=1))
    assert one.setting is PageSetting.WINDOWS and "closed Sun 11 Apr 2027 at 23:59" in one.sentence


pages = st.builds(
    Publication,
    st.just(True),
    st.just(RunStatus.PUBLISHED),
    st.sampled_from(FoundBy),
    st.sampled_from(SignsUp),
    st.sampled_from([None, WINDOW[0], NOON, WINDOW[1]]),
    st.sampled_from([None, WINDOW[0], NOON, WINDOW[1]]),
    st.booleans(),
    st.booleans(),
)


@given(pages)
def test_every_way_to_mend_a_contradiction_mends_it(page):
    for codes in ((), (STANDS,)):
        for one in found(page, codes):
            for mend in one.mends:
                mended = replace(
                    page,
                    found_by=mend.found_by or page.found_by,
                    signs_up=mend.signs_up or page.signs_up,
                    **({mend.unset: None} if mend.unset else {}),
                )
                after = {c.sentence for c in found(mended, codes)}
                # With a code to be made next, that is the one thing that may be left to do.
                assert one.sentence not in after


@given(pages, st.sampled_from(list(itertools.product((False, True), repeat=3))))
def test_whoever_is_tied_or_has_the_code_finds_no_less_than_anybody(page, who):
    visitor = Visitor(*who)
    if finds(page, ANYBODY):
        assert finds(page, visitor)


def joined(pieces, *parts):
    return "".join(p.text for p in pieces if p.part in parts)


@given(st.text(st.sampled_from("ab \n"), max_size=40), st.text(st.sampled_from("ab \n"), max_size=40))
def test_the_pieces_of_a_comparison_give_both_texts_again(before, after):
    pieces = words_compared(before, after)
    assert joined(pieces, Wording.SAME, Wording.GONE) == before
    assert joined(pieces, Wording.SAME, Wording.NEW) == after


def test_long_texts_are_compared_by_lines():
    text = "word " * 7000
    pieces = words_compared(f"{text}\nend", f"{text}\nother end")
    assert [p.part for p in pieces] == [Wording.SAME, Wording.GONE, Wording.NEW]
