"""Serving and working: one process or several to serve, one to work."""

import io
import os
import signal
import socket
import subprocess
import sys
import threading

import uvicorn
from django.conf import settings
from django.core.management import call_command
from django.core.management.base import SystemCheckError

from gannet.audit.running import InUse, using_data
from gannet.edge.protocol import PromptProtocol

# Streams, keep-alive and requests together; what is more is turned away at once.
MOST_CONNECTIONS = 3_000


def serve(host: str, port: int, *, with_worker: bool = False, processes: int = 1) -> int:
    """Serve until stopped, by so many processes; with a worker beside when asked for."""
    problem = port_problem(host, port)
    if problem:
        print(problem, file=sys.stderr)
        return 2
    try:
        with using_data():
            return _serve(host, port, with_worker=with_worker, processes=processes)
    except InUse as error:
        print(error, file=sys.stderr)
        return 2


def _serve(host: str, port: int, *, with_worker: bool, processes: int) -> int:
    try:
        call_command("check", "--fail-level", "ERROR", stdout=io.StringIO())
    except SystemCheckError as error:
        print(error, file=sys.stderr)
        return 2
    worker = start_worker() if with_worker else None
    # uvicorn raises the signal again when it has stopped: it must end us by way of the
    # `finally`, or the worker would be left behind.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    try:
        uvicorn.run(
            "gannet.asgi:application",
            host=host,
            port=port,
            workers=processes,
            log_level="warning",
            access_log=False,
            timeout_graceful_shutdown=3,
            server_header=False,
            http=PromptProtocol,
            limit_concurrency=MOST_CONNECTIONS,
            proxy_headers=bool(settings.TRUSTED_PROXIES),
            forwarded_allow_ips=settings.TRUSTED_PROXIES,
        )
    finally:
        if worker is not None:
            stop(worker)
    return 0


def start_worker() -> "subprocess.Popen[bytes]":
    return subprocess.Popen([sys.executable, "-m", "gannet", "work", "--beside-server"])


def stop(process: "subprocess.Popen[bytes]") -> None:
    process.terminate()
    try:
        process.wait(timeout=10)
    except subprocess.TimeoutExpired:
        process.kill()


def port_problem(host: str, port: int) -> str | None:
    """One sentence when the port cannot be had."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError:
            return (
                f"Port {port} is in use: stop what uses it, or choose another, for example "
                f"GANNET_PORT={port + 1} make demo."
            )
    return None


def work_until_stopped(*, beside_server: bool = False) -> int:
    """The worker, with the stand-in mail server beside it where settings say so."""
    try:
        with using_data():
            return _work(beside_server=beside_server)
    except InUse as error:
        print(error, file=sys.stderr)
        return 2


def _work(*, beside_server: bool) -> int:
    from gannet.worker.worker import run

    stopping = threading.Event()
    for name in (signal.SIGTERM, signal.SIGINT):
        signal.signal(name, lambda *_: stopping.set())
    mail = None
    if settings.STANDIN_MAIL:
        from gannet.messages import standin

        try:
            mail = standin.start()
        except OSError:
            print(
                f"Port {settings.EMAIL_PORT} for the stand-in mail server is in use: set "
                "GANNET_MAIL_PORT to another. Mail waits in the outbox until then.",
                file=sys.stderr,
            )
    parent = os.getppid()

    def should_stop() -> bool:
        # A worker that the server started does not outlive it.
        return stopping.is_set() or (beside_server and os.getppid() != parent)

    try:
        run(should_stop)
    finally:
        if mail is not None:
            mail.stop()
    return 0
