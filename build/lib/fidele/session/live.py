"""The state as it is now, with its history, and those who listen: on one thread, whoever tells."""

from __future__ import annotations

import threading
from collections.abc import Callable
from queue import Empty, SimpleQueue

from fidele.session.history import History
from fidele.session.news import News, Said
from fidele.session.state import Changed, State


class WrongThreadError(AssertionError):
    """Something that belongs to the session's own thread was done on another one: a fault of the program."""


class Live:
    """The state, changed on the thread that made it and on no other; news can be told from anywhere.

    Listeners are called on the session's own thread. News that is told on another thread waits until `deliver` is
    called on it; `wake` is how the interface is asked to do that soon, and must be callable from anywhere.
    """

    def __init__(self) -> None:
        self.state = State()
        self.history = History()
        self.said = ""
        #: Reads the route back and judges; judges what is known already. Set by the session, which can do both.
        self.refresh: Callable[[], None] = lambda: None
        self.judge: Callable[[], None] = lambda: None
        self.wake: Callable[[], None] = lambda: None
        self._owner = threading.get_ident()
        self._listeners: list[Callable[[News], None]] = []
        self._waiting: SimpleQueue[News] = SimpleQueue()

    def on_own_thread(self) -> None:
        """Raise `WrongThreadError` on any other thread than the session's own."""
        if threading.get_ident() != self._owner:
            raise WrongThreadError(f"the session was touched on thread {threading.current_thread().name}")

    def listen(self, listener: Callable[[News], None]) -> None:
        """Call `listener` with all news from now on."""
        self._listeners.append(listener)

    def tell(self, news: News) -> None:
        """Tell all who listen, at once on the session's own thread, soon from any other."""
        if threading.get_ident() != self._owner:
            self._waiting.put(news)
            self.wake()
            return
        if isinstance(news, Said):
            self.said = news.sentence
        for listener in list(self._listeners):
            listener(news)

    def deliver(self) -> None:
        """Tell what was told on other threads meanwhile."""
        self.on_own_thread()
        try:
            while True:
                self.tell(self._waiting.get_nowait())
        except Empty:
            return

    def say(self, sentence: str) -> None:
        """Say the last thing done, in the foot."""
        self.tell(Said(sentence))

    def warn(self, sentence: str) -> None:
        """Say what went wrong; what goes well afterwards does not take its place at once."""
        self.tell(Said(sentence, wrong=True))

    def change(self, changed: Changed) -> None:
        """Change the state, and tell."""
        self.on_own_thread()
        self.state = changed.applied(self.state)
        self.tell(changed)
