"""A server that does what servers should not: every network command meets it (`hostile` fixture)."""

import gzip
import socket
import ssl
import threading
import time

import trustme

DEEP = b"[" * 100_000


class Hostile:
    """Answers each connection in the manner that is set; closes when told. `url` is its address,
    `tls` that of the same over TLS, with a certificate that nobody vouches for, `inside` that of a
    server nobody has a reason to ask; `asked` and `asked_inside` are what they were asked."""

    def __init__(self) -> None:
        self.manner = "empty"
        self.asked: list[str] = []
        self.asked_inside: list[str] = []
        self._open = True
        self._sockets: list[socket.socket] = []
        certificate = trustme.CA().issue_cert("127.0.0.1")
        self._context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        certificate.configure_cert(self._context)
        self.url = f"http://{self._serve(self._answer)}"
        self.tls = f"https://{self._serve(self._answer_tls)}"
        self.inside = f"http://{self._serve(self._answer_inside)}"

    def _serve(self, answer) -> str:
        server = socket.create_server(("127.0.0.1", 0))
        self._sockets.append(server)

        def run() -> None:
            while self._open:
                try:
                    connection, _ = server.accept()
                except OSError:
                    return
                threading.Thread(target=self._guarded, args=(answer, connection), daemon=True).start()

        threading.Thread(target=run, daemon=True).start()
        return f"127.0.0.1:{server.getsockname()[1]}"

    def _guarded(self, answer, connection: socket.socket) -> None:
        try:
            with connection:
                answer(connection)
        except OSError:  # ssl.SSLError is one
            return

    def _answer(self, connection: socket.socket) -> None:
        request = connection.recv(65_536)
        self.asked.append(request.split(b"\r\n", 1)[0].decode("latin-1"))
        getattr(self, self.manner)(connection, request)

    def _answer_tls(self, connection: socket.socket) -> None:
        with self._context.wrap_socket(connection, server_side=True) as secure:
            self._answer(secure)

    def _answer_inside(self, connection: socket.socket) -> None:
        self.asked_inside.append(connection.recv(65_536).split(b"\r\n", 1)[0].decode("latin-1"))
        self.fine(connection, b"")

    def close(self) -> None:
        self._open = False
        for server in self._sockets:
            server.close()

    def _slowly(self, connection, data: bytes) -> None:
        for octet in data:
            if not self._open:
                return
            connection.sendall(bytes([octet]))
            time.sleep(0.1)

    def fine(self, connection, _request) -> None:
        """What a server should do; none of the `MANNERS`."""
        connection.sendall(b"HTTP/1.1 200 OK\r\nContent-Length: 0\r\n\r\n")

    def empty(self, connection, _request) -> None:
        """Hangs up without a word."""

    def trickle(self, connection, _request) -> None:
        """An octet now and then, for ever: within every limit between two of them."""
        connection.sendall(b"HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Length: 1000000\r\n\r\n")
        self._slowly(connection, b"x" * 10_000)

    def trickled_head(self, connection, _request) -> None:
        self._slowly(connection, b"HTTP/1.1 200 OK\r\n" + b"X-A: b\r\n" * 10_000)

    def endless(self, connection, _request) -> None:
        connection.sendall(b"HTTP/1.1 200 OK\r\nContent-Type: application/json\r\n\r\n")
        for _ in range(2_000):
            connection.sendall(b"[" * 65_536)

    def short(self, connection, _request) -> None:
        """Fewer octets than it says."""
        connection.sendall(b"HTTP/1.1 200 OK\r\nContent-Length: 5000\r\n\r\n<html>")

    def bad_gzip(self, connection, _request) -> None:
        data = gzip.compress(b"x" * 500)[:40] + b"junk"
        head = f"HTTP/1.1 200 OK\r\nContent-Encoding: gzip\r\nContent-Length: {len(data)}\r\n\r\n"
        connection.sendall(head.encode() + data)

    def no_http(self, connection, _request) -> None:
        """As a server of TLS, or of anything else."""
        connection.sendall(b"\x15\x03\x01\x00\x02\x02\x28" * 20)

    def to_a_file(self, connection, _request) -> None:
        connection.sendall(b"HTTP/1.1 302 Found\r\nLocation: file:///etc/passwd\r\nContent-Length: 0\r\n\r\n")

    def inwards(self, connection, _request) -> None:
        """Sends on to a server behind it."""
        head = f"HTTP/1.1 302 Found\r\nLocation: {self.inside}/admin\r\nContent-Length: 0\r\n\r\n"
        connection.sendall(head.encode())

    def names_inside(self, connection, _request) -> None:
        """Names a server behind it wherever an address may stand."""
        link = f'<link rel="%s" type="application/json+oembed" href="{self.inside}/admin">'
        body = "<!doctype html><title>A</title>" + "".join(
            link % relation for relation in ("alternate", "canonical", "next")
        ) + f'<a href="{self.inside}/admin">A</a>'  # fmt: skip
        head = f"HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nContent-Length: {len(body)}\r\n\r\n"
        connection.sendall((head + body).encode())

    def to_itself(self, connection, request) -> None:
        path = request.split(b" ")[1] if b" " in request else b"/"
        connection.sendall(b"HTTP/1.1 302 Found\r\nLocation: " + path + b"x\r\nContent-Length: 0\r\n\r\n")

    def deep(self, connection, _request) -> None:
        head = f"HTTP/1.1 200 OK\r\nContent-Type: application/json\r\nContent-Length: {len(DEEP)}\r\n\r\n"
        connection.sendall(head.encode() + DEEP)

    def odd_values(self, connection, request) -> None:
        """Values that are none, and the request's own secrets."""
        told = request.decode("latin-1").replace('"', "'").replace("\r\n", " ").replace("\\", "/")
        data = (
            '{"sitemaps":[{"loc":"https://www.marrowfen.example/sitemap.xml","found":"²","indexed":-5,'
            '"submitted":[1],"last_read":"\\ud83d","state":"' + told + '","reasons":{"\\u001b[31m":1e400}},'
            '{"loc":7},5,null]}'
        ).encode()  # fmt: skip
        head = f"HTTP/1.1 200 OK\r\nRetry-After: ²\r\nContent-Length: {len(data)}\r\n\r\n"
        connection.sendall(head.encode("utf-8") + data)


MANNERS = ("empty", "trickle", "trickled_head", "endless", "short", "bad_gzip", "no_http",
           "to_a_file", "inwards", "names_inside", "to_itself", "deep", "odd_values")  # fmt: skip
