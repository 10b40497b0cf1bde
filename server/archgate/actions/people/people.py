"""Records of people: found, added, changed, tagged, noted on."""

from __future__ import annotations

from email_validator import EmailNotValidError, validate_email
from rapidfuzz import fuzz
from sqlalchemy import Select, select, union

from archgate.actions.kernel.acts import Act
from archgate.actions.kernel.answers import refuse_lost_update
from archgate.actions.kernel.commands import said_of
from archgate.actions.kernel.kept import kept_by
from archgate.actions.kernel.problems import conflict, not_found
from archgate.actions.kernel.unit_of_work import UnitOfWork, lock_row
from archgate.actions.people import words
from archgate.actions.people.commands import NoteCommand, PersonCommand, PersonFacts, PersonPatch, TagsCommand
from archgate.actions.people.views import NoteOut, Notes, PersonChanged, PersonNear, PersonOut, Tagged
from archgate.core.faults import Fault, Refused
from archgate.core.names import digits_of, folded, near_keys
from archgate.tables.access import User
from archgate.tables.people import Note, PeopleWord, Person, PersonTag

kept_by(words.keep_words)


def email_fault(text: str) -> str | None:
    """What is wrong with an email address as written; nothing is looked up."""
    try:
        validate_email(text, check_deliverability=False)
    except EmailNotValidError:
        return f'"{text}" is not an email address.'
    return None


def contact_faults(email: str | None, phone: str | None, at: str = "") -> list[Fault]:
    """What is wrong with an email and a phone number, each where it is given."""
    wrong = email_fault(email) if email else None
    faults = [Fault(f"{at}/email", wrong)] if wrong else []
    if phone and not digits_of(phone):
        faults.append(Fault(f"{at}/phone", f'"{phone}" is not a phone number.'))
    return faults


def get_person(uow: UnitOfWork, person_id: int, to_change: bool = False) -> Person:
    """A person; `to_change` locks their row."""
    person = lock_row(uow, Person, person_id) if to_change else uow.session.get(Person, person_id)
    if person is None:
        raise not_found("This person")
    return person


def present(uow: UnitOfWork, person_id: int) -> Person:
    """A person to seat or to put in line, kept from being merged away meanwhile; people are locked before runs."""
    person = uow.session.get(Person, person_id, with_for_update={"read": True}, populate_existing=True)
    if person is None:
        raise not_found("This person")
    refuse_merged(uow, person)
    return person


def refuse_merged(uow: UnitOfWork, person: Person) -> None:
    if person.merged_into_id is not None:
        into = uow.session.get_one(Person, person.merged_into_id)
        raise conflict(
            "merged", f"This record was merged into {into.name}; use that one.", person=person_view(into)
        )
    if person.removed_at is not None:
        raise conflict(
            "removed", f"{person.name} was removed with the list that had added them; add them anew."
        )


def new_person(
    given: str,
    family: str,
    email: str | None,
    phone: str | None,
    note: str,
    uow: UnitOfWork,
    health: str = "",
) -> Person:
    return Person(
        given=given,
        family=family,
        name=f"{given} {family}".strip(),
        folded=folded(f"{given} {family}"),
        email=email,
        phone=phone,
        digits=digits_of(phone) or None,
        note=note,
        health=health,
        created_at=uow.now,
    )


def person_faults(facts: dict[str, str], at: str) -> list[Fault]:
    """What is wrong with the facts of a person; a name is needed, all else may be missing."""
    named = facts["given"] or facts["family"]
    faults = [] if named else [Fault(f"{at}/given", "A name is needed.")]
    return faults + contact_faults(facts["email"], facts["phone"], at)


FACTS = ("given", "family", "email", "phone", "note", "health")


def facts_over(facts: PersonFacts, now: dict[str, str], at: str) -> dict[str, str]:
    """What is known of a person with what a form says over it; empty is what is not known. Raises Refused."""
    typed = {name: getattr(facts, name) or "" for name in FACTS if name in facts.model_fields_set}
    facts_now = {**now, **typed}
    faults = person_faults(facts_now, at)
    if faults:
        raise Refused(faults)
    return facts_now


def create_person(uow: UnitOfWork, command: PersonCommand) -> PersonOut:
    """Add a person. Somebody with the same name and email is pointed out (409) unless `anyway`."""
    facts = facts_over(command, dict.fromkeys(FACTS, ""), "")
    email = facts["email"] or None
    person = new_person(
        facts["given"], facts["family"], email, facts["phone"] or None, facts["note"], uow, facts["health"]
    )
    if not command.anyway:
        twin = uow.session.scalar(
            select(Person).where(
                Person.folded == person.folded, Person.email == email if email else Person.email.is_(None)
            )
        )
        if twin:
            raise conflict("same-person", f"{twin.name} is already known.", person=person_view(twin))
    uow.session.add(person)
    uow.session.flush()
    uow.log(Act.ADD_A_PERSON, person.id, f"Added {person.name}")
    return person_view(person)


def change_person(uow: UnitOfWork, person_id: int, command: PersonPatch) -> PersonChanged:
    """Change what is known of a person; `seen` holds the values the clerk saw."""
    person = get_person(uow, person_id, to_change=True)
    now = {n: getattr(person, n) or "" for n in FACTS}
    facts = facts_over(command.set, now, "/set")
    names = [n for n in FACTS if n in command.set.model_fields_set]
    seen = {n: v or "" for n, v in said_of(command.seen).items()}
    refuse_lost_update({n: facts[n] for n in names}, seen, dict(now))
    for name in names:
        setattr(person, name, facts[name] or (None if name in ("email", "phone") else ""))
    person.name = f"{person.given} {person.family}".strip()
    person.folded, person.digits = folded(person.name), digits_of(person.phone) or None
    change = uow.log(Act.CHANGE_A_PERSON, person.id, f"Changed {', '.join(names)} of {person.name}")
    return person_view(person).widened(PersonChanged, change=change.key)


def tags_of(uow: UnitOfWork, person_ids: list[int]) -> dict[int, list[str]]:
    """What kind of person each of these is to the center, in order of the alphabet."""
    tags: dict[int, list[str]] = {}
    query = select(PersonTag.person_id, PersonTag.tag).where(PersonTag.person_id.in_(person_ids or [0]))
    for person_id, tag in uow.session.execute(query.order_by(PersonTag.tag)):
        tags.setdefault(person_id, []).append(tag)
    return tags


def known_tags(uow: UnitOfWork) -> list[str]:
    return list(uow.session.scalars(select(PersonTag.tag).distinct().order_by(PersonTag.tag)))


def tag_person(uow: UnitOfWork, person_id: int, command: TagsCommand) -> Tagged:
    """Say what kind of person somebody is: member, concession, staff. It decides which rates they may have."""
    person = get_person(uow, person_id, to_change=True)
    wanted = {t.casefold() for t in command.tags if t}
    by_tag = {
        t.tag: t for t in uow.session.scalars(select(PersonTag).where(PersonTag.person_id == person.id))
    }
    for tag in wanted - set(by_tag):
        uow.session.add(PersonTag(person_id=person.id, tag=tag))
    for tag in set(by_tag) - wanted:
        uow.session.delete(by_tag[tag])
    tags = ", ".join(sorted(wanted)) or "no tag"
    change = uow.log(Act.TAG_A_PERSON, person.id, f"{person.name}: {tags}")
    return Tagged(change=change.key, tags=sorted(wanted))


def near(uow: UnitOfWork, given: str, family: str, email: str, phone: str) -> list[PersonNear]:
    """People who may be the one being typed: the same email, the same phone, or nearly the same name.

    Names are compared without case and accents; 86 of 100 by edit distance is near (chosen by trying). A phone or
    email alone identifies nobody, since households share them: it is said, not decided.
    """
    name, digits = folded(f"{given} {family}"), digits_of(phone)
    candidates = [select(Person.id).where(Person.email == email.strip())] if email.strip() else []
    candidates += [select(Person.id).where(Person.digits == digits)] if len(digits) >= 6 else []
    candidates += alike(name.split()) if len(name) >= 4 else []
    if not candidates:
        return []
    some = union(*(select(part.limit(NEAREST).subquery().c[0]) for part in candidates)).subquery()
    query = (
        select(Person.id, Person.folded, Person.email, Person.digits)
        .join(some, some.c[0] == Person.id)
        .where(Person.there())
    )
    likely: list[tuple[float, int, str]] = []
    for number, known, mail, phone_digits in uow.session.execute(query):
        score = max(fuzz.ratio(name, known), fuzz.token_sort_ratio(name, known)) if name else 0
        why = ["the same name" if score == 100 else "nearly the same name"] if score >= NEAR else []
        same_email = email.strip() and (mail or "").lower() == email.strip().lower()
        why += ["the same email"] if same_email else []
        why += ["the same phone"] if len(digits) >= 6 and phone_digits == digits else []
        if why:
            likely.append((score + 50 * (len(why) - 1), number, ", ".join(why)))
    best = sorted(likely, key=lambda found: (-found[0], found[1]))[:4]
    return [
        person_view(uow.session.get_one(Person, number)).widened(PersonNear, why=why)
        for _, number, why in best
    ]


NEAR = 86
NEAREST = 300  # candidates looked at for each reason


def alike(parts: list[str]) -> list[Select[int]]:
    """People whose names may be nearly this one: both words the same, or one begins alike and the other with the same letter."""
    if len(parts) < 2:
        return [select(PeopleWord.person_id).where(words.begins(PeopleWord, parts[0]))]
    keys = near_keys(f"{parts[0]} {parts[-1]}") | near_keys(" ".join(parts))
    return [select(PeopleWord.person_id).where(PeopleWord.word == key) for key in sorted(keys)]


def like(word: str) -> str:
    """A LIKE pattern that holds a word anywhere; what is typed is never a wildcard."""
    return "%" + word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"


def person_view(person: Person) -> PersonOut:
    return PersonOut(
        id=person.id,
        given=person.given,
        family=person.family,
        name=person.name,
        email=person.email,
        phone=person.phone,
        note=person.note,
        merged_into_id=person.merged_into_id,
    )


# --- a person's page --------------------------------------------------------------------------------------


def notes_of(uow: UnitOfWork, person: Person) -> list[NoteOut]:
    query = select(Note, User.name).join(User, User.id == Note.user_id).where(Note.person_id == person.id)
    rows = uow.session.execute(query.order_by(Note.id.desc()))
    return [NoteOut(at=uow.local(n.at), by=name, text=n.text) for n, name in rows]


def add_note(uow: UnitOfWork, person_id: int, command: NoteCommand) -> Notes:
    """Write a note on a person; it is signed and dated, and never edited."""
    person = get_person(uow, person_id)
    uow.session.add(Note(person_id=person.id, user_id=uow.user_id, at=uow.now, text=command.text))
    uow.log(Act.NOTE, person.id, f"Wrote a note on {person.name}")
    uow.session.flush()
    return Notes(notes=notes_of(uow, person))
