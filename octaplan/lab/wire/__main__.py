"""The process of the floor: does what it is asked over a socket, each in a thread, and ends with whoever began it."""

from __future__ import annotations

import json
import os
import resource
import socket
import sys
from concurrent.futures import ThreadPoolExecutor

from octaplan.lab.wire.floor import DOES, Floor

#: A question is at most so long, and so many are answered at once.
MOST, AT_ONCE = 1 << 18, 48


def main(number: int) -> None:
    asked = socket.socket(fileno=number)
    most = resource.getrlimit(resource.RLIMIT_NOFILE)[1]
    resource.setrlimit(resource.RLIMIT_NOFILE, (min(most, 1 << 16), most))
    floor = Floor()
    with ThreadPoolExecutor(AT_ONCE) as pool:
        while question := asked.recv(MOST):
            pool.submit(_answer, floor, asked, json.loads(question))
        os._exit(0)  # whoever asked is gone: the kernel takes all of it down


def _answer(floor: Floor, asked: socket.socket, question: dict[str, object]) -> None:
    """Do what is asked, and say what came of it; a socket goes along as it is."""
    about, passed = {"number": question["number"]}, []
    try:
        came = DOES[str(question["do"])](floor, *question["with"])  # type: ignore[misc]
        if isinstance(came, socket.socket):
            passed, came = [came], None
        about["is"] = came
    except Exception as error:
        about["error"] = f"{type(error).__name__}: {error}"
    socket.send_fds(asked, [json.dumps(about).encode()], [one.fileno() for one in passed])
    for one in passed:
        one.close()


if __name__ == "__main__":
    main(int(sys.argv[1]))
