"""What a run pays, frozen by its requests; agreements; what learners say; and the instructor's own page."""

import io
from datetime import date

import pytest
from PIL import Image
from sqlalchemy import select

from actions.test_teaching import a_teacher, change, faults_of, put, weekly
from archgate.actions.across import undo
from archgate.actions.enrolling import calls
from archgate.actions.kernel import signing
from archgate.actions.kernel.commands import command_of
from archgate.actions.kernel.problems import Problem
from archgate.actions.messages import messages
from archgate.actions.money import accounts
from archgate.actions.money.commands import PayerCommand, PaymentCommand
from archgate.actions.runs import moving
from archgate.actions.runs.commands import CancelMeetingCommand
from archgate.actions.teaching import evaluations, instructors, papers, pay, settings
from archgate.actions.teaching.commands import (
    AgreementCommand,
    AgreementTextCommand,
    DeductCommand,
    EvaluateCommand,
    PayLineCommand,
    PayRequestCommand,
    PayTermsCommand,
    QuestionsCommand,
    RulesCommand,
)
from archgate.core.faults import Refused
from archgate.jobs.worker import ask_for_evaluations
from archgate.papers.teaching import agreement_html, agreement_pdf, pay_csv, pay_html, pay_pdf, pay_xlsx
from archgate.tables.messages import Message
from archgate.tables.teaching import EvaluationAnswer, EvaluationAsked
from made import a_person, a_run, at_once, enrolled


def teaching(office, run):
    return office.read(lambda d: pay.teaching_of(d, run["id"]))


def terms(office, run, who, **facts):
    return office.act(lambda d: pay.set_terms(d, run["id"], who["id"], command_of(PayTermsCommand, facts)))


def request(office, who, preview=False, **of):
    command = command_of(PayRequestCommand, {"instructor_id": who["id"], **of})
    return office.act(lambda d: papers.make_request(d, command), preview=preview)["request"]


def per_hour(amount="42.00"):
    return {"kind": "per_hour", "amount": amount}


# --- what it pays -----------------------------------------------------------------------------------------


def test_a_run_pays_usual_terms_agreed_ones_and_lines_and_says_what_is_left(office):
    lead = a_teacher(office, pay=per_hour())
    helps = a_teacher(office, pay=per_hour("20.00"))
    run = a_run(
        office, instructor=f"{lead['name']}; {helps['name']} (assistant)", pattern=weekly(minutes=105)
    )
    for _ in range(3):
        enrolled(office, run)
    terms(office, run, helps, pay={"kind": "share_percent", "percent": "30"})
    line = {"instructor_id": lead["id"], "label": "Mileage", "quantity": "84", "unit": "0.655"}
    office.act(lambda d: pay.add_line(d, run["id"], command_of(PayLineCommand, line)))
    office.act(lambda d: pay.set_deduct(d, run["id"], DeductCommand(amount="30.00")))
    shown = teaching(office, run)
    assert shown["income"] == "630.00" and shown["heads"] == 3
    by = {p["instructor_id"]: p for p in shown["paid"]}
    assert (by[lead["id"]]["total"], by[helps["id"]]["total"]) == ("643.02", "180.00")
    assert (shown["pay"], shown["center"]) == ("823.02", "-193.02")
    assert [x["label"] for x in by[helps["id"]]["lines"]] == ["Share of the income, as assistant"]
    whole = next(r for r in shown["seats"] if r["heads"] == 5)
    # One more head brings 210.00: five bring 1,050.00, of which 30 % of 1,020.00 are shared.
    assert (whole["income"], whole["pay"]) == ("1050.00", "949.02")
    assert shown["break_even"] == 5 and shown["saved_if_cancelled"] == "823.02"


def test_payment_fees_come_off_before_shares(office):
    lead = a_teacher(office, pay={"kind": "share_percent", "percent": "50"})
    run = a_run(office, instructor=lead["name"])
    person = a_person(office)
    enrolled(office, run, person)
    account = office.act(
        lambda d: accounts.account_for(d, command_of(PayerCommand, {"person_id": person["id"]}))
    )["id"]
    body = {"amount": "210.00", "method": "transfer", "fee": "10.00"}
    office.act(lambda d: accounts.take_payment(d, account, command_of(PaymentCommand, body)))
    shown = teaching(office, run)
    assert (shown["payment_fees"], shown["pay"], shown["center"]) == ("10.00", "100.00", "100.00")


def test_whoever_steps_in_for_one_meeting_gets_that_part_of_their_usual_pay(office):
    lead = a_teacher(office, pay={"kind": "share_percent", "percent": "80"})
    sub = a_teacher(office, pay={"kind": "share_percent", "percent": "80"})
    run = a_run(office, instructor=lead["name"], pattern=weekly())
    enrolled(office, run)
    put(office, run, (sub, "substitute"), meeting_id=run["dates"][0]["id"])
    by = {p["instructor_id"]: p["total"] for p in teaching(office, run)["paid"]}
    # 80 % of 210.00, and a tenth of it (80 % of one meeting in eight is 10 %).
    assert by == {lead["id"]: "168.00", sub["id"]: "21.00"}


def test_shares_that_pass_the_whole_are_refused_at_their_field_and_shown_where_they_come_together(office):
    one = a_teacher(office, pay={"kind": "share_percent", "percent": "70"})
    two = a_teacher(office, pay={"kind": "share_percent", "percent": "60"})
    run = a_run(office, instructor=f"{one['name']}; {two['name']}")
    assert "come to 130 percent" in teaching(office, run)["trouble"]
    with pytest.raises(Refused) as refused:
        terms(office, run, two, pay={"kind": "share_percent", "percent": "31"})
    assert "come to 101 percent" in faults_of(refused)["/pay/percent"]
    terms(office, run, two, pay={"kind": "share_percent", "percent": "30"})
    assert teaching(office, run)["trouble"] == ""


def test_a_meeting_that_fell_out_is_paid_if_somebody_says_so(office):
    lead = a_teacher(office, pay={"kind": "per_meeting", "amount": "50.00"})
    run = a_run(office, instructor=lead["name"], pattern=weekly(count=3))
    m = run["dates"][0]["id"]
    office.act(lambda d: moving.cancel_meeting(d, m, CancelMeetingCommand(why="snow")))
    assert teaching(office, run)["pay"] == "100.00"
    office.act(lambda d: calls.set_paid(d, m, True))
    assert teaching(office, run)["pay"] == "150.00"


@pytest.mark.parametrize(
    ("line", "at"),
    [
        ({"label": ""}, "/label"),
        ({"quantity": "-3"}, "/quantity"),
        ({"unit": "a lot"}, "/unit"),
        ({"unit": None}, "/unit"),
    ],
)
def test_bad_lines_are_refused_at_their_field(office, line, at):
    with pytest.raises(Refused) as refused:
        command_of(PayLineCommand, {"instructor_id": 1, "label": "x", "quantity": "1", "unit": "1", **line})
    assert at in faults_of(refused)


def test_terms_are_undone(office):
    lead = a_teacher(office, pay=per_hour("10.00"))
    run = a_run(office, instructor=lead["name"], pattern=weekly(count=2, minutes=60))
    done = terms(office, run, lead, pay=per_hour("99.00"), hours="3")
    assert teaching(office, run)["pay"] == "297.00"
    office.act(lambda d: undo.undo(d, done["change"]))
    assert teaching(office, run)["pay"] == "20.00"


# --- pay requests -----------------------------------------------------------------------------------------


def test_a_request_freezes_what_it_says_and_a_later_change_is_a_correction(office):
    lead = a_teacher(office, pay=per_hour("30.00"))
    run = a_run(office, instructor=lead["name"], pattern=weekly(count=2, minutes=60))
    after = office.later(days=60)
    look = request(after, lead, preview=True, run_id=run["id"])
    made = request(after, lead, run_id=run["id"])
    assert (look["total"], made["total"]) == ("60.00", "60.00") and not made["lines"][0]["correction"]
    with pytest.raises(Problem) as nothing:
        request(after, lead, run_id=run["id"])
    assert nothing.value.kind == "nothing-due"
    change(office, lead, pay=per_hour("25.00"))
    again = request(after, lead, run_id=run["id"])
    line = again["lines"][0]
    assert (line["label"], line["amount"], line["correction"], again["total"]) == (
        "Correction",
        "-10.00",
        True,
        "-10.00",
    )
    shown = after.read(lambda d: papers.requests_of(d, run_id=run["id"]))
    assert [r["total"] for r in shown] == ["-10.00", "60.00"], "the first stands as it was"


def test_a_month_counts_what_was_taught_by_its_end_and_a_share_once_the_run_is_over(office):
    lead = a_teacher(office, pay=per_hour("30.00"))
    shares = a_teacher(office, pay={"kind": "share_percent", "percent": "50"})
    run = a_run(office, instructor=f"{lead['name']}; {shares['name']}", pattern=weekly(count=4, minutes=60))
    enrolled(office, run)
    october = office.later(days=60)  # 19 October: four meetings from 14 September to 5 October are over
    september = request(october, lead, month="2027-09")
    assert (september["total"], september["through"]) == ("90.00", "2027-09-30")
    with pytest.raises(Problem):
        request(october, shares, month="2027-09")
    rest = request(october, lead, month="2027-10")
    assert (rest["total"], rest["lines"][0]["label"], rest["lines"][0]["correction"]) == (
        "30.00", "Since the last request", False,
    )  # fmt: skip
    assert request(october, shares, month="2027-10")["total"] == "105.00"


@pytest.mark.parametrize(
    ("of", "at"), [({}, "/month"), ({"month": "2027-13"}, "/month"), ({"month": "2031-01"}, "/month"), ({"run_id": 1, "month": "2027-09"}, "/month")]
)  # fmt: skip
def test_bad_requests_are_refused(office, of, at):
    with pytest.raises(Refused) as refused:
        request(office, a_teacher(office), **of)
    assert at in faults_of(refused)


def test_one_request_is_made_of_many_presses_and_its_numbers_have_no_gap(office):
    lead = a_teacher(office, pay=per_hour("30.00"))
    run = a_run(office, instructor=lead["name"], pattern=weekly(count=2))
    after = office.later(days=60)
    done = at_once([lambda: request(after, lead, run_id=run["id"])] * 4)
    assert sum(isinstance(d, dict) for d in done) == 1
    numbers = office.read(
        lambda d: sorted(int(r.number[4:]) for r in d.session.scalars(select(papers.PayRequest)))
    )
    assert numbers == list(range(1, len(numbers) + 1))


def test_a_request_is_paid_on_a_day_and_the_statement_adds_up(office):
    lead = a_teacher(office, pay=per_hour("30.00"))
    run = a_run(office, instructor=lead["name"], pattern=weekly(count=4, minutes=60))
    after = office.later(days=33)  # 22 September: two are over
    made = request(after, lead, run_id=run["id"])
    with pytest.raises(Refused):
        after.act(lambda d: papers.mark_paid(d, made["id"], date(2030, 1, 1)))
    after.act(lambda d: papers.mark_paid(d, made["id"], date(2027, 9, 22)))
    with pytest.raises(Problem):
        after.act(lambda d: papers.mark_paid(d, made["id"], date(2027, 9, 22)))
    shown = office.later(days=40).read(lambda d: papers.statement(d, lead["id"]))
    assert (shown["paid"], shown["asked"], shown["not_asked"]) == ("60.00", "0.00", "30.00")
    paper = after.read(lambda d: papers.statement_paper(d, lead["id"]))
    assert "paid on Wed 22 Sep 2027" in pay_html(paper)


def test_the_papers_of_a_request_say_the_same(office):
    lead = a_teacher(office, pay=per_hour("30.00"))
    run = a_run(office, instructor=lead["name"], pattern=weekly(count=2, minutes=60))
    made = request(office.later(days=60), lead, run_id=run["id"])
    paper = office.read(lambda d: papers.request_paper(d, made["id"]))
    html, table = pay_html(paper), pay_csv(paper).decode("utf-8-sig")
    assert made["number"] in html and "$60.00" in html and run["code"] in html
    assert (
        f"{run['code']},Per hour,2 contact hours at 30.00 each.,60.00,USD" in table
        and ",Total,,60.00,USD" in table
    )
    assert pay_pdf(paper).startswith(b"%PDF") and pay_xlsx(paper).startswith(b"PK")


# --- agreements -------------------------------------------------------------------------------------------


def test_an_agreement_is_made_from_the_centers_text_sent_and_signed_and_versions_are_kept(office, sessions):
    lead = a_teacher(office, pay=per_hour(), email="agrees@example.org")
    run = a_run(office, instructor=lead["name"], pattern=weekly(count=2, minutes=90))
    text = "{instructor} teaches {run} for {pay}: {meetings} meetings, {hours} h.\n{dates}\n<b>Tools</b> are ours."
    office.act(lambda d: papers.set_text(d, AgreementTextCommand(text=text + str(run["id"]))))
    command = AgreementCommand(instructor_id=lead["id"])
    office.act(lambda d: papers.make_agreement(d, run["id"], command))
    change(office, lead, pay=per_hour("50.00"))
    office.act(lambda d: papers.make_agreement(d, run["id"], command))
    new, old = office.read(lambda d: papers.agreements_of(d, run_id=run["id"]))
    assert (new["version"], new["latest"], old["latest"]) == (2, True, False)
    paper = office.read(lambda d: papers.agreement_paper(d, old["id"]))
    assert (
        "for 42.00 an hour (USD): 2 meetings, 3 h." in paper.text and "Tue 21 Sep 2027, 17:30" in paper.text
    )
    assert 'counter(page) " of "' in agreement_html(paper), "its style is not escaped"
    assert "&lt;b&gt;Tools" in agreement_html(paper) and agreement_pdf(paper).startswith(b"%PDF")
    sent = office.act(lambda d: papers.send_agreement(d, new["id"]))
    with sessions() as session:
        message = session.scalars(select(Message).where(Message.agreement_id == new["id"])).one()
        mailing = messages.mailing(session, message.job.key)
    assert mailing.paper[0].endswith(".pdf") and mailing.paper[1].startswith(b"%PDF") and sent["change"]
    with pytest.raises(Refused):
        office.act(lambda d: papers.sign_agreement(d, new["id"], date(2027, 8, 1)))
    office.act(lambda d: papers.sign_agreement(d, new["id"], date(2027, 8, 20)))
    assert office.read(lambda d: papers.agreements_of(d, run_id=run["id"]))[0]["status"] == "signed"


@pytest.mark.parametrize(("text", "said"), [("  ", "empty"), ("{nobody} and {center}", "{nobody}")])
def test_a_text_with_unknown_fields_is_refused(office, text, said):
    with pytest.raises(Refused) as refused:
        office.act(lambda d: papers.set_text(d, AgreementTextCommand(text=text)))
    assert said in faults_of(refused)["/text"]


# --- what learners say ------------------------------------------------------------------------------------


def questions(office, *pairs):
    form = {"questions": [{"text": t, "kind": k} for t, k in pairs]}
    return office.act(lambda d: evaluations.set_questions(d, command_of(QuestionsCommand, form)))["questions"]


def those_asked(office, run):
    query = select(EvaluationAsked.id).where(EvaluationAsked.run_id == run["id"]).order_by(EvaluationAsked.id)
    return [signing.token_for("e", n, 1) for n in office.read(lambda d: list(d.session.scalars(query)))]


def say(office, token, *answers):
    form = {
        "answers": [
            dict(zip(("instructor_id", "question_id", "mark", "words"), a, strict=False)) for a in answers
        ]
    }
    return office.act(lambda d: evaluations.answer(d, token, command_of(EvaluateCommand, form)))


def test_learners_are_asked_once_after_the_last_meeting_and_answer_without_their_name(office, sessions):
    lead = a_teacher(office)
    run = a_run(office, instructor=lead["name"], pattern=weekly(count=1, day="2027-08-24"))
    people = [a_person(office) for _ in range(4)]
    for p in people:
        enrolled(office, run, p)
    mark, words = questions(office, ("Good?", "mark"), ("What else?", "words"))
    office.act(lambda d: settings.change(d, RulesCommand(fewest_answers=3)))
    after = office.later(days=10)
    assert run["id"] not in office.read(evaluations.due_runs), "not before its last meeting"
    assert run["id"] in after.read(evaluations.due_runs)
    assert after.act(lambda d: evaluations.ask(d, run["id"])) == 4
    assert after.act(lambda d: evaluations.ask(d, run["id"])) == 0
    tokens = those_asked(office, run)
    body = office.read(lambda d: d.session.scalars(select(Message.body).where(Message.run_id == run["id"], Message.person_id == people[0]["id"]).order_by(Message.id.desc())).first())  # fmt: skip
    assert f"/evaluate/{tokens[0]}" in body and "/evaluate/" not in signing.without_links(body)
    for token, given in zip(tokens[:2], (5, 4), strict=True):
        say(after, token, (lead["id"], mark["id"], given), (lead["id"], words["id"], None, f"said {given}"))
    hidden = office.read(lambda d: evaluations.evaluations_of(d, lead["id"]))
    assert hidden["marks"] == {"count": 2, "average": None, "spread": None, "shown": False, "fewest": 3}
    assert hidden["words"] == [] and hidden["by_question"][0]["marks"]["average"] is None
    say(after, tokens[2], (lead["id"], mark["id"], 3), (lead["id"], words["id"], None, "said 3"))
    told = office.read(lambda d: evaluations.evaluations_of(d, lead["id"]))
    assert (told["marks"]["count"], told["marks"]["average"], told["marks"]["spread"]) == (3, "4.0", "1.0")
    assert told["words"][0]["words"] == ["said 3", "said 4", "said 5"]
    columns = {c.key for c in EvaluationAnswer.__table__.columns}
    assert not columns & {"person_id", "user_id", "asked_id", "at"}
    with pytest.raises(Problem) as twice:
        say(after, tokens[2], (lead["id"], mark["id"], 1))
    assert twice.value.kind == "answered"
    assert "have arrived" in office.read(lambda d: evaluations.page(d, tokens[2]))["said"]
    assert not office.read(
        lambda d: [c for c in d.session.scalars(select(undo.Change)) if "evaluation_answers" in str(c.rows)]
    )


def test_people_are_counted_and_not_their_answers(office):
    """Two people who answer two questions each are two: below the smallest number of three nothing is shown."""
    lead = a_teacher(office)
    run = a_run(office, instructor=lead["name"], pattern=weekly(count=1, day="2027-08-24"))
    for _ in range(2):
        enrolled(office, run)
    first, second = questions(office, ("One?", "mark"), ("Two?", "mark"))
    office.later(days=10).act(lambda d: evaluations.ask(d, run["id"]))
    for token in those_asked(office, run):
        say(office, token, (lead["id"], first["id"], 5), (lead["id"], second["id"], 4))
    shown = office.read(lambda d: evaluations.evaluations_of(d, lead["id"]))["marks"]
    assert (shown["count"], shown["shown"]) == (2, False)


def test_odd_answers_are_refused_and_nothing_is_kept(office):
    lead, other = a_teacher(office), a_teacher(office)
    run = a_run(office, instructor=lead["name"], pattern=weekly(count=1, day="2027-08-24"))
    enrolled(office, run)
    (mark,) = questions(office, ("Good?", "mark"))
    office.later(days=10).act(lambda d: evaluations.ask(d, run["id"]))
    token = those_asked(office, run)[0]
    for answers in ([], [(other["id"], mark["id"], 5)], [(lead["id"], 999999, 5)], [(lead["id"], mark["id"], 6)],
                    [(lead["id"], mark["id"], 5), (lead["id"], mark["id"], 4)], [(lead["id"], mark["id"], None)]):  # fmt: skip
        with pytest.raises(Refused):
            say(office, token, *answers)
    with pytest.raises(Problem):
        say(office, token[:-2] + "xx", (lead["id"], mark["id"], 5))
    done = at_once([lambda: say(office, token, (lead["id"], mark["id"], 5))] * 4)
    assert sum(isinstance(d, dict) for d in done) == 1
    assert office.read(lambda d: evaluations.evaluations_of(d, lead["id"]))["marks"]["count"] == 1


def test_many_learners_are_asked_in_slices_by_the_worker(office, sessions, monkeypatch):
    monkeypatch.setattr(evaluations, "SLICE", 2)
    lead = a_teacher(office)
    run = a_run(office, instructor=lead["name"], pattern=weekly(count=1, day="2027-08-24"))
    for _ in range(5):
        enrolled(office, run)
    questions(office, ("Good?", "mark"))
    after = office.later(days=10)
    asked = [after.act(lambda d: evaluations.ask(d, run["id"])) for _ in range(4)]
    assert asked == [2, 2, 1, 0]
    assert ask_for_evaluations(sessions).endswith("learners asked.")


def test_other_words_are_another_question_and_the_old_answers_stay(office):
    (one,) = questions(office, ("Good?", "mark"))
    (two,) = questions(office, ("Very good?", "mark"))
    form = {"questions": [{"id": two["id"], "text": "Very good?", "kind": "mark"}]}
    kept = office.act(lambda d: evaluations.set_questions(d, command_of(QuestionsCommand, form)))["questions"]
    assert [q["id"] for q in kept] == [two["id"]]
    assert one["id"] != two["id"]
    with pytest.raises(Refused):
        questions(office, ("Same?", "mark"), ("same?", "words"))


# --- pictures ---------------------------------------------------------------------------------------------


def a_picture(kind="PNG", size=(900, 600)):
    out = io.BytesIO()
    Image.new("RGB", size, "teal").save(out, kind)
    return out.getvalue()


def test_a_picture_is_made_anew_small_and_as_jpeg(office):
    lead = a_teacher(office)
    made = instructors.picture_made(a_picture())
    office.act(lambda d: instructors.set_picture(d, lead["id"], made))
    found = office.read(lambda d: instructors.picture_of(d, lead["id"]))
    with Image.open(found) as picture:
        assert (picture.format, picture.size) == ("JPEG", (480, 320))
    office.act(lambda d: instructors.set_picture(d, lead["id"], None))
    with pytest.raises(Problem):
        office.read(lambda d: instructors.picture_of(d, lead["id"]))


@pytest.mark.parametrize("data", [b"", b"no picture", b"%PDF-1.4", b"GIF89a" + b"\0" * 40, a_picture()[:60]])
def test_what_is_no_picture_is_refused_in_a_sentence(data):
    with pytest.raises(Refused) as refused:
        instructors.picture_made(data)
    assert "/file" in faults_of(refused)


def test_a_picture_of_too_many_pixels_is_refused():
    with pytest.raises(Refused) as refused:
        instructors.picture_made(a_picture(size=(9000, 9000)))
    assert "million pixels" in faults_of(refused)["/file"]
