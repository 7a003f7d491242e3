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
