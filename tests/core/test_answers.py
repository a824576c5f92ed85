"""The sentences at the head of the Overview."""

from datetime import date

import pytest

from tests.core.asking import only, reading_of
from tests.core.building import HOME, hit, numbered
from upper_compass.core.definitions.goals import Goal
from upper_compass.core.reports.summary import AnswerRequest, answer, share_in_words

BOOKED = Goal.model_validate({"match": {"kind": "event", "names": ["book"]}})
DAY = 1_767_225_600_000  # 1 January 2026, UTC


def said(visits, filters=(), lookers=None):
    """`visits`: (query, page) of visits that book; `lookers`: of those that do not, as many again of each if not given."""
    hits = []
    for i, (query, page) in enumerate([*visits, *(visits if lookers is None else lookers)]):
        hits.append(hit(DAY + i, url=f"{HOME}{page}{query}", visitor=str(i)))
        if i < len(visits):
            hits.append(hit(DAY + i, "event", name="book", visitor=str(i)))
    request = AnswerRequest(period={"first": date(2026, 1, 1), "last": date(2026, 1, 2)}, goal=1, segment=only(*filters))
    phrases = answer(reading_of(numbered(hits)), request, BOOKED, "Course bookings").phrases
    return "".join(phrase.text for phrase in phrases), [(phrase.dimension, phrase.value) for phrase in phrases if phrase.dimension]


def test_the_largest_channels_and_pages_are_named_and_linked():
    mail, card = "?utm_source=a&utm_medium=email", "?via=card"
    text, links = said([(mail, "courses")] * 8 + [(card, "courses")] * 4 + [("", "shop")] * 8)
    assert text == "Direct and email bring four in five course bookings. Three in five begin on /courses."
    assert links == [("channel", "Direct"), ("channel", "Email"), ("entry_page", "/courses")]


def test_what_a_table_marks_as_few_is_not_told_as_the_answer():
    letter = "?utm_source=a&utm_medium=email"
    booked = [("", "courses")] * 12 + [(letter, "letter")] * 15
    text, links = said(booked, lookers=[("", "courses")] * 400 + [(letter, "letter")] * 19)
    assert links == [("channel", "Direct"), ("entry_page", "/courses")]
    assert "letter" not in text
    assert said([("", f"p{i}") for i in range(20)])[0] == "Course bookings: 20 in these 2 days."


def test_nothing_is_said_of_too_few():
    assert said([])[0] == "There are no course bookings in these 2 days."
    assert said([("", "a")] * 4)[0] == "Course bookings: 4 in these 2 days, too few to say what drives them."


def test_that_all_come_by_the_one_channel_chosen_is_not_said():
    mail = "?utm_source=a&utm_medium=email"
    filters = [{"dimension": "channel", "values": ["Email"]}]
    assert said([(mail, "a")] * 6 + [(mail, "b")] * 2 + [("", "c")], filters)[0] == "Three in four course bookings begin on /a."
    assert said([(mail, "a")] * 8, filters)[0] == "Course bookings: 8 in these 2 days."


def test_many_pages_are_called_many():
    text, _ = said([("", f"p{i // 6}") for i in range(60)])
    assert text == "Course bookings begin on many pages, most often on /p0."


@pytest.mark.parametrize(
    ("share", "words"), [(1.0, "all"), (0.98, "nearly all"), (0.66, "two in three"), (0.55, "more than half of"), (0.5, "half of"), (0.36, "about a third of")]
)
def test_shares_in_words(share, words):
    assert share_in_words(share) == words
