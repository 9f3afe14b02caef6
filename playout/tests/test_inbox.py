"""What comes to the control socket, through a real one: presses before questions, few of one client, no end of messages kept."""

import pytest
import zmq

from playout.inbox import MOST_OF_ONE, QUESTIONS_AT_ONCE, Inbox

PRESS, QUESTION = b'{"press": "go", "args": {"a": "\\u0041"}, "do": "press"}', b'{"do": "state"}'


@pytest.fixture
def line():
    with zmq.Context() as context, context.socket(zmq.ROUTER) as router:
        port = router.bind_to_random_port("tcp://127.0.0.1")
        clients = []

        def client(*messages):
            dealer = context.socket(zmq.DEALER)
            dealer.connect(f"tcp://127.0.0.1:{port}")
            clients.append(dealer)
            for raw in messages:
                dealer.send_multipart([b"", raw])

        yield router, client
        for one in clients:
            one.close(linger=0)


def read(inbox, router, count):
    while len(inbox) < count:
        assert router.poll(2000)
        inbox.read(router)


def test_a_press_is_answered_before_the_questions_of_others(line):
    router, client = line
    inbox = Inbox()
    for _ in range(30):
        client(QUESTION)
    read(inbox, router, 30)
    client(PRESS)
    read(inbox, router, 31)
    answered = [raw for _, raw in inbox.next()]
    assert answered == [PRESS] + [QUESTION] * QUESTIONS_AT_ONCE
    left = []
    while inbox:
        left += [raw for _, raw in inbox.next()]
    assert left == [QUESTION] * (30 - QUESTIONS_AT_ONCE)


def test_of_one_client_few_are_kept_and_all_of_others(line):
    router, client = line
    inbox = Inbox()
    client(*[QUESTION] * 500)
    client(QUESTION)
    read(inbox, router, MOST_OF_ONE + 1)
    while router.poll(200):
        inbox.read(router)
    assert len(inbox) == MOST_OF_ONE + 1


def test_a_press_finds_its_place_where_questions_fill_theirs(line, monkeypatch):
    monkeypatch.setattr("playout.inbox.MOST_OF_ALL", 20)
    router, client = line
    inbox = Inbox()
    for _ in range(30):
        client(QUESTION)
    while router.poll(200):
        inbox.read(router)
    assert len(inbox) == 20
    client(PRESS)
    assert router.poll(2000)
    inbox.read(router)
    assert next(raw for _, raw in inbox.next()) == PRESS


@pytest.mark.parametrize("raw", [b"", b"{", b"[" * 60_000, b'{"do": 5}', b'{"do": "press', b"\xff\xfe", b'"press"'])
def test_what_is_no_press_waits_with_the_questions(line, raw):
    router, client = line
    inbox = Inbox()
    client(raw, PRESS)
    read(inbox, router, 2)
    assert [one for _, one in inbox.next()] == [PRESS, raw]
