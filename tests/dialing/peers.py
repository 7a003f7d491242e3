"""Peers that take connections and then do as they like: what no real server does on demand."""

import socket
import ssl
import threading
import time


class Peer:
    """A peer that takes connections and then does as it likes."""

    def __init__(self, serve):
        self.listener = socket.create_server(("127.0.0.1", 0))
        self.port = self.listener.getsockname()[1]
        self.done, self.served = threading.Event(), []
        self.thread = threading.Thread(target=self._accept, args=(serve,), daemon=True)
        self.thread.start()

    def _accept(self, serve):
        while not self.done.is_set():
            try:
                plug, _ = self.listener.accept()
            except OSError:
                return
            self.served.append(threading.Thread(target=self._serve, args=(serve, plug), daemon=True))
            self.served[-1].start()

    def _serve(self, serve, plug):
        with plug:
            serve(plug, self.done)

    def __enter__(self):
        return self

    def __exit__(self, *_):
        self.done.set()
        self.listener.shutdown(socket.SHUT_RDWR)
        self.listener.close()
        for thread in (self.thread, *self.served):
            thread.join(10)


def silent(plug, done):
    done.wait(30)


def dripping(plug, done):
    """One byte at a time: a limit for each read would never be reached."""
    try:
        while not done.is_set():
            plug.send(b"\x4a")
            time.sleep(0.05)
    except OSError:
        pass


def nonsense(plug, done):
    try:
        plug.recv(64)
        plug.sendall(b"HTTP/1.1 400 password=not-a-real-pw \x1b[31m\r\n\r\n" * 20)
    except OSError:
        pass


def saying(*words):
    """Say something, then what follows once something came."""

    def serve(plug, done):
        try:
            for number, said in enumerate(words):
                if number:
                    plug.recv(4096)
                plug.sendall(said)
            done.wait(5)
        except OSError:
            pass

    return serve


def hanging_up(plug, done):
    plug.recv(64)


def flooding(plug, done):
    """As much as one takes, with a length of four gigabytes in front."""
    try:
        while not done.is_set():
            plug.sendall(b"R\xff\xff\xff\xff" * 4096)
    except OSError:
        pass


def in_tls(context):
    """A server that begins with TLS, and is silent then."""

    def serve(plug, done):
        try:
            with context.wrap_socket(plug, server_side=True) as secured:
                secured.recv(64)
                done.wait(1)
        except (OSError, ssl.SSLError):
            pass

    return serve


def damaged(port, number, kind, at):
    """A proxy before a server: what comes back from it is handed on, but for one piece that is damaged."""

    def serve(plug, done):
        with socket.create_connection(("127.0.0.1", port)) as server:
            server.settimeout(1)
            asking = threading.Thread(target=_pump, args=(plug, server), daemon=True)
            asking.start()
            piece = 0
            try:
                while said := server.recv(4096):
                    if piece == number:
                        said = DAMAGE[kind](said, at % len(said))
                    for one in [said] if piece != number or kind != "trickle" else [said[i : i + 1] for i in range(len(said))]:
                        plug.sendall(one)
                    if piece == number and kind == "cut":
                        return
                    if piece == number and kind == "half-close":
                        plug.shutdown(socket.SHUT_WR)
                    piece += 1
            except OSError:
                pass

    return serve


def _pump(source, target):
    try:
        while said := source.recv(4096):
            target.sendall(said)
        target.shutdown(socket.SHUT_WR)
    except OSError:
        pass


DAMAGE = {
    "flip": lambda said, at: said[:at] + bytes([said[at] ^ 0xFF]) + said[at + 1 :],
    "cut": lambda said, at: said[:at],
    "great length": lambda said, at: said[:at] + b"\xff\xff\xff\x7f" + said[at + 4 :],
    "doubled": lambda said, at: said + said[at:],
    "garbage": lambda said, at: said[:at] + b"\x1b[31m\0\xffpassword" * 40,
    "nothing": lambda said, at: b"",
    "half-close": lambda said, at: said[:at],
    "trickle": lambda said, at: said,
}


def pouring(*words):
    """Say some words in turn, and the last one without end."""

    def serve(plug, done):
        try:
            for said in words[:-1]:
                plug.recv(4096)
                plug.sendall(said)
            plug.settimeout(1)  # who has closed and left much unread does not always say so
            while not done.is_set():
                plug.sendall(words[-1])
        except OSError:
            pass

    return serve
