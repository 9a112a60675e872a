"""The real nginx and the real Apache httpd, on loopback, while a block runs."""

import os
import shutil
import socket
import subprocess
import time
from contextlib import contextmanager

import httpx

_NGINX = """
daemon off; {user} pid {folder}/nginx.pid; error_log stderr; worker_processes 1;
events {{ worker_connections 64; }}
http {{
  access_log off; {temporary}
  {http}
  server {{ listen 127.0.0.1:{port}; root {public}; index index.html; keepalive_requests 1000000;
  {server}
  }}
}}
"""
_APACHE = """
ServerRoot {folder}
ServerName localhost
PidFile {folder}/apache.pid
ErrorLog {folder}/apache.log
MaxKeepAliveRequests 0
Listen 127.0.0.1:{port}
{modules}
DocumentRoot {public}
DirectoryIndex index.html
{body}
"""
_MODULES = ("mpm_event", "authz_core", "setenvif", "headers", "dir", "alias", "rewrite")


def free_port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


def _program(name: str) -> str:
    found = shutil.which(name, path="/usr/sbin:/usr/local/sbin:/usr/bin")
    assert found, f"{name} is missing; on Debian: apt-get install {name}"
    return found


@contextmanager
def nginx(folder, public, http="", server=""):
    """Serves `public`, with lines for `http { }` and `server { }`; gives the port."""
    kinds = ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    port, conf = free_port(), folder / "nginx.conf"
    conf.write_text(
        _NGINX.format(
            folder=folder, port=port, public=public, http=http.replace("@PORT@", str(port)),
            server=server,
            temporary=" ".join(f"{kind}_temp_path {folder}/tmp-{kind};" for kind in kinds),
            user="user root;" if os.geteuid() == 0 else "",
        )
    )  # fmt: skip
    with _running([_program("nginx"), "-p", str(folder), "-c", str(conf)], port):
        yield port


@contextmanager
def apache(folder, public, body):
    """Serves `public`, with lines for the virtual host; gives the port."""
    port, conf = free_port(), folder / "apache.conf"
    modules = "\n".join(
        f"LoadModule {name}_module /usr/lib/apache2/modules/mod_{name}.so" for name in _MODULES
    )
    conf.write_text(
        _APACHE.format(folder=folder, port=port, public=public, modules=modules, body=body)
    )
    with _running([_program("apache2"), "-X", "-f", str(conf)], port):
        yield port


@contextmanager
def _running(command, port):
    server = subprocess.Popen(command, stderr=subprocess.PIPE, text=True)
    try:
        for _ in range(300):
            try:
                httpx.get(f"http://127.0.0.1:{port}/", trust_env=False)
                break
            except httpx.HTTPError:
                assert server.poll() is None, server.stderr and server.stderr.read()
                time.sleep(0.1)
        yield
    finally:
        server.terminate()
        server.wait(timeout=10)
