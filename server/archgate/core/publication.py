"""Who finds a run on the public pages, and who signs up for it without the staff: one answer for staff, desk and public.

Moments are UTC. Finding and signing up are two questions; each is answered by every reason that stands against it, the
setting that causes it, and a sentence each for the public and the staff. No reason is the answer yes.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from archgate.core.schedule import moment_text
from archgate.core.states import FoundBy, PageSetting, RunStatus, SignsUp, SignUp


@dataclass(frozen=True)
class Publication:
    """The settings of a run that decide. `course_public`: its course has a published page; `client`: it is for one client
    only; `elsewhere`: sign-up leads to another address."""

    course_public: bool
    status: RunStatus
    found_by: FoundBy = FoundBy.EVERYONE
    signs_up: SignsUp = SignsUp.EVERYONE
    shown_from: datetime | None = None
    shown_until: datetime | None = None
    client: bool = False
    elsewhere: bool = False


@dataclass(frozen=True)
class Visitor:
    """Who looks: signed in to an own page (`account`); tied to the run, as enrolled, waiting or invited; with a code that
    lets in now (`code`)."""

    account: bool = False
    tied: bool = False
    code: bool = False


@dataclass(frozen=True)
class WhyNot:
    """One reason, with the setting that causes it."""

    setting: PageSetting
    public: str
    staff: str


def why_not_found(page: Publication, visitor: Visitor, at: datetime, zone: ZoneInfo) -> tuple[WhyNot, ...]:
    """Why somebody does not find a run at a moment; empty when they do. Whoever is tied to it finds it as long as it is known,
    whoever has the right code as long as it is shown."""
    reasons = []
    gone = "There is no such course date."
    if not page.course_public:
        reasons.append(WhyNot(PageSetting.COURSE, gone, "The course has no public page yet; publish it."))
    if page.status not in (RunStatus.PUBLISHED, RunStatus.OFF_SALE):
        reasons.append(WhyNot(PageSetting.STATUS, gone, f"The run is {page.status}."))
    if visitor.tied:
        return tuple(reasons)
    if page.status is RunStatus.OFF_SALE:
        reasons.append(WhyNot(PageSetting.STATUS, gone, "The run is off sale; only those on it find it."))
    if page.shown_from and at < page.shown_from:
        when = moment_text(page.shown_from, zone)
        reasons.append(WhyNot(PageSetting.SHOWN, gone, f"It is public from {when}."))
    if page.shown_until and at >= page.shown_until:
        when = moment_text(page.shown_until, zone)
        reasons.append(WhyNot(PageSetting.SHOWN, gone, f"It was public until {when}."))
    if page.found_by is FoundBy.ACCOUNT and not (visitor.account or visitor.code):
        reasons.append(WhyNot(PageSetting.FOUND_BY, gone, "Only people signed in to their own page find it."))
    if page.found_by is FoundBy.INVITED and not visitor.code:
        reasons.append(WhyNot(PageSetting.FOUND_BY, gone, "Only people invited to it, or on it, find it."))
    return tuple(reasons)


def why_no_sign_up(page: Publication, visitor: Visitor, state: SignUp, said: str) -> tuple[WhyNot, ...]:
    """Why somebody who finds a run does not sign up for it by themselves; empty when they do. `state` and `said` are what the
    sign-up windows and the seats say (`gates.sign_up_at`). Full is no reason here: it leads to the line."""
    reasons = []
    if page.elsewhere:
        sentence = "Sign-up for this course is at another address; the link leads there."
        reasons.append(WhyNot(PageSetting.ELSEWHERE, sentence, "The course leads to sign-up elsewhere."))
    if page.client:
        sentence = "This date is for one organization only."
        reasons.append(
            WhyNot(PageSetting.CLIENT, sentence, "It is a contract run; its client says who comes.")
        )
    if page.signs_up is SignsUp.STAFF:
        sentence = "Please call or write to sign up for this date."
        reasons.append(WhyNot(PageSetting.SIGNS_UP, sentence, "Only staff enroll people."))
    if page.signs_up is SignsUp.CODE and not visitor.code:
        reasons.append(WhyNot(PageSetting.CODE, "This date needs a code.", "It needs an access code."))
    if page.signs_up is SignsUp.REQUEST:
        sentence = "Seats are given on request; ask for one."
        reasons.append(WhyNot(PageSetting.SIGNS_UP, sentence, "They ask, and staff decide."))
    if state is SignUp.NOT_YET:
        sentence = "Sign-up is not open yet." if page.status is RunStatus.DRAFT else said
        reasons.append(WhyNot(PageSetting.WINDOWS, sentence, said))
    if state is SignUp.CLOSED:
        reasons.append(WhyNot(PageSetting.WINDOWS, "Sign-up has closed.", said))
    return tuple(reasons)


# --- the sentence that says the result -----------------------------------------------------------------------

FINDERS = {
    FoundBy.EVERYONE: ("Everyone finds it", "everyone"),
    FoundBy.ACCOUNT: ("People with an account find it", "people with an account"),
    FoundBy.INVITED: ("Only people who are invited to it or on it find it", "whoever is invited"),
}
SIGNERS = {
    SignsUp.EVERYONE: "they sign up",
    SignsUp.CODE: "with a code they sign up",
    SignsUp.REQUEST: "they ask for a seat",
    SignsUp.STAFF: "only staff enroll them",
}


def sentence_of(page: Publication, window: tuple[datetime | None, datetime | None], zone: ZoneInfo) -> str:
    """What the settings come to: "People with an account find it from Mon 1 Mar 2027, 09:00; with a code they sign up until Sun 11
    Apr 2027, 23:59." `window` is the first moment at which sign-up opens, and the last at which it closes; a close at the
    first moment of a day is said as 23:59 of the day before."""
    if not page.course_public or page.status is RunStatus.DRAFT:
        missing = "the course has no public page" if not page.course_public else "the run is a draft"
        return f"Nobody finds it yet: {missing}."
    if page.status not in (RunStatus.PUBLISHED, RunStatus.OFF_SALE):
        return f"Nobody finds it: the run is {page.status}."
    if page.status is RunStatus.OFF_SALE:
        return "Only those on it find it: the run is off sale."
    found = FINDERS[page.found_by][0] + _span(page.shown_from, page.shown_until, zone)
    if page.elsewhere:
        return f"{found}; a link leads to sign-up elsewhere."
    opens, closes = window
    signs = SIGNERS[SignsUp.STAFF if page.client else page.signs_up]
    span = "" if page.signs_up is SignsUp.STAFF or page.client else _span(opens, closes, zone)
    return f"{found}; {signs}{span}."


def _span(first: datetime | None, last: datetime | None, zone: ZoneInfo) -> str:
    text = f" from {moment_text(first, zone)}" if first else ""
    return text + (f" until {last_text(last, zone)}" if last else "")


def last_text(moment: datetime, zone: ZoneInfo) -> str:
    """The last minute before a moment, where that is the first of a day; else the moment itself."""
    local = moment.astimezone(zone)
    return moment_text(
        moment - timedelta(minutes=1) if (local.hour, local.minute) == (0, 0) else moment, zone
    )


# --- settings that contradict each other ----------------------------------------------------------------------


@dataclass(frozen=True)
class CodeTimes:
    """When an access code lets in, and whether uses are left."""

    starts: datetime | None
    ends: datetime | None
    left: bool


@dataclass(frozen=True)
class Mend:
    """One way out of a contradiction: what the button says, and the settings it sets. Where another page mends it, none."""

    label: str
    found_by: FoundBy | None = None
    signs_up: SignsUp | None = None
    unset: str = ""  # "shown_from" or "shown_until", taken away


@dataclass(frozen=True)
class Contradiction:
    setting: PageSetting
    sentence: str
    mends: tuple[Mend, ...] = ()


def contradictions(
    page: Publication,
    codes: tuple[CodeTimes, ...],
    window: tuple[datetime | None, datetime | None],
    at: datetime,
    zone: ZoneInfo,
) -> tuple[Contradiction, ...]:
    """What of the settings cannot both be meant, each with the ways to mend it. `codes` are those that were not ended."""
    found: list[Contradiction] = []
    opens, closes = window
    if page.found_by is FoundBy.INVITED and page.signs_up is SignsUp.EVERYONE and not page.client:
        found.append(
            Contradiction(
                PageSetting.FOUND_BY,
                "Only people who are invited find it, yet everyone may sign up: nobody else ever gets that far.",
                (
                    Mend("Let everyone find it", found_by=FoundBy.EVERYONE),
                    Mend("Ask for a code", signs_up=SignsUp.CODE),
                    Mend("Let only staff enroll", signs_up=SignsUp.STAFF),
                ),
            )
        )
    if page.client and page.found_by is not FoundBy.INVITED:
        found.append(
            Contradiction(
                PageSetting.CLIENT,
                "It is for one client only, yet others find it.",
                (Mend("Only people on it find it", found_by=FoundBy.INVITED),),
            )
        )
    if page.signs_up is SignsUp.CODE:
        found += _code_faults(codes, opens, closes, at, zone)
    elif codes:
        many = "A code stands" if len(codes) == 1 else f"{len(codes)} codes stand"
        found.append(
            Contradiction(
                PageSetting.CODE,
                f"{many}, yet nobody is asked for one.",
                (Mend("Ask for a code", signs_up=SignsUp.CODE),),
            )
        )
    if page.shown_from and page.shown_until and page.shown_from >= page.shown_until:
        found.append(
            Contradiction(
                PageSetting.SHOWN,
                "It would stop being public before it becomes so.",
                (Mend("Public without an end", unset="shown_until"),),
            )
        )
    if page.signs_up is not SignsUp.STAFF and not page.client:
        if page.shown_from and closes and page.shown_from >= closes:
            found.append(
                Contradiction(
                    PageSetting.SHOWN,
                    f"It becomes public after sign-up closes, {last_text(closes, zone)}.",
                    (Mend("Public at once", unset="shown_from"),),
                )
            )
        if page.shown_until and opens and page.shown_until <= opens:
            found.append(
                Contradiction(
                    PageSetting.SHOWN,
                    f"It stops being public before sign-up opens, {moment_text(opens, zone)}.",
                    (Mend("Public without an end", unset="shown_until"),),
                )
            )
    if page.elsewhere and page.signs_up in (SignsUp.CODE, SignsUp.REQUEST):
        found.append(
            Contradiction(
                PageSetting.ELSEWHERE,
                "The course leads to sign-up elsewhere, yet this run asks for a code or a request of its own.",
                (Mend("Let everyone follow the link", signs_up=SignsUp.EVERYONE),),
            )
        )
    return tuple(found)


def _code_faults(
    codes: tuple[CodeTimes, ...],
    opens: datetime | None,
    closes: datetime | None,
    at: datetime,
    zone: ZoneInfo,
) -> list[Contradiction]:
    """A run that asks for a code: there is none, none is left, or none lets in while sign-up is open."""
    if not codes:
        return [
            Contradiction(
                PageSetting.CODE,
                "It needs a code, and there is none: nobody can sign up.",
                (Mend("Let everyone sign up", signs_up=SignsUp.EVERYONE),),
            )
        ]
    if not any(code.left for code in codes):
        return [Contradiction(PageSetting.CODE, "Every code is used up: nobody can sign up any more.")]
    begins = max(filter(None, (opens, at)))
    if closes is not None and closes <= at:
        when = last_text(closes, zone)
        return [Contradiction(PageSetting.WINDOWS, f"It needs a code, yet sign-up closed {when}.")]
    reaches = any(
        c.left
        and (c.ends is None or c.ends > begins)
        and (closes is None or c.starts is None or c.starts < closes)
        for c in codes
    )
    if not reaches:
        return [Contradiction(PageSetting.CODE, "No code lets anybody in while sign-up is open.")]
    return []
