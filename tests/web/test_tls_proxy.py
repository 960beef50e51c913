"""Behind a TLS proxy, as the README tells: sign-in, cookies, redirects and HSTS, over real sockets.

tests/data/studio.test.pem is a certificate that this test's own proxy shows for an invented host; nothing trusts it.
"""

import http.client
import http.server
import io
import os
import re
import socket
import ssl
import subprocess
import sys
import threading
import time
from pathlib import Path as FilePath

import pytest

from upwelling.web.jobs.management.commands.serve import Command

HOST = "studio.test"
CERTIFICATE = FilePath(__file__).parents[1] / "data" / "studio.test.pem"
_SEED = 'from django.contrib.auth.models import User; User.objects.create_user("tess", password="gather-and-blow")'


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def proxy_for(port):
    """A TLS proxy in front of a port: hands Host on and says by which scheme it was asked."""

    class Proxy(http.server.BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def do_GET(self):
            length = int(self.headers.get("Content-Length", 0))
            inner = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
            headers = {k: v for k, v in self.headers.items() if k.lower() != "connection"}
            inner.request(self.command, self.path, self.rfile.read(length), {**headers, "X-Forwarded-Proto": "https"})
            answer = inner.getresponse()
            body = answer.read()
            self.send_response(answer.status)
            for key, value in answer.getheaders():
                if key.lower() not in ("transfer-encoding", "connection", "content-length", "date", "server"):
                    self.send_header(key, value)
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        do_POST = do_GET

        def log_message(self, *arguments):
            pass

    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Proxy)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(CERTIFICATE)
    server.socket = context.wrap_socket(server.socket, server_side=True)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server


@pytest.fixture(params=["127.0.0.1", "192.0.2.7"], ids=["trusted", "another"])
def behind(request, new_data):
    """Whether the proxy is the trusted one, the proxy's port, and the server's own."""
    port = free_port()
    environment = {
        **os.environ,
        "UPWELLING_DATA": str(new_data),
        "UPWELLING_HTTPS": "1",
        "UPWELLING_HOSTS": HOST,
        "UPWELLING_PROXY": request.param,
    }
    manage = [sys.executable, "-m", "upwelling.web.manage"]
    subprocess.run([*manage, "shell", "-v0", "-c", _SEED], env=environment, check=True)
    said = new_data / "said.txt"
    with said.open("w") as out:
        process = subprocess.Popen([*manage, "serve", "--port", str(port)], env=environment, stdout=out)
    for _ in range(150):
        try:
            socket.create_connection(("127.0.0.1", port), 1).close()
            break
        except OSError:
            time.sleep(0.2)
    while "registered from" not in said.read_text():  # it says where it runs once it answers
        time.sleep(0.05)
    assert f"http://127.0.0.1:{port}/" in said.read_text()
    assert "Nobody can sign in yet" not in said.read_text()
    proxy = proxy_for(port)
    yield request.param == "127.0.0.1", proxy.server_address[1], port
    proxy.shutdown()
    process.terminate()
    process.wait(timeout=30)


@pytest.mark.django_db
def test_an_empty_server_says_how_somebody_gets_in(settings):
    said = io.StringIO()
    Command(stdout=said).say_ready("127.0.0.1", 8000)
    assert "upwelling user add NAME --creates" in said.getvalue()
    assert str(settings.MEDIA_FOLDER) in said.getvalue()


def ask(port, method, path, body=None, **headers):
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    context.load_verify_locations(CERTIFICATE)
    with socket.create_connection(("127.0.0.1", port), 30) as plain:
        connection = http.client.HTTPSConnection(HOST, timeout=30)
        connection.sock = context.wrap_socket(plain, server_hostname=HOST)
        connection.request(method, path, body, headers)
        answer = connection.getresponse()
        return answer, answer.read().decode()


@pytest.mark.slow
def test_sign_in_works_behind_the_proxy_that_is_trusted_and_no_other(behind):
    trusted, proxy, port = behind
    answer, page = ask(proxy, "GET", "/sign-in/")
    if not trusted:
        assert (answer.status, answer.headers["Location"]) == (301, f"https://{HOST}/sign-in/")
        return
    assert answer.status == 200
    assert "max-age=31536000" in answer.headers["Strict-Transport-Security"]
    cookie = answer.headers["Set-Cookie"]
    assert "Secure" in cookie
    token = re.search(r'name="csrfmiddlewaretoken" value="(\w+)"', page)[1]
    form = f"csrfmiddlewaretoken={token}&username=tess&password=gather-and-blow"
    sent = {
        "Content-Type": "application/x-www-form-urlencoded",
        "Cookie": cookie.split(";")[0],
        "Origin": f"https://{HOST}",
        "Referer": f"https://{HOST}/sign-in/",
    }
    answer, said = ask(proxy, "POST", "/sign-in/", form, **sent)
    assert answer.status == 302, said[:300]
    session = next(value for key, value in answer.getheaders() if key == "Set-Cookie" and "sessionid" in value)
    assert "Secure" in session
    assert "HttpOnly" in session
    answer, _ = ask(proxy, "POST", "/sign-in/", form, **{**sent, "Origin": "https://elsewhere.test"})
    assert answer.status == 403
    # Asked without the proxy, the server sends the caller to the safe address.
    direct = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
    direct.request("GET", "/sign-in/", headers={"Host": HOST})
    assert direct.getresponse().status == 301
