"""The same sign-in by plain SMTP, with nothing but Python's standard library.

All that it knows of Verbalis are two settings: MAIL_HOST and MAIL_PORT.
"""

import os
import secrets
import smtplib
from email.message import EmailMessage
from html import escape
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import parse_qs, urlsplit

MAIL_HOST = os.environ.get("MAIL_HOST", "127.0.0.1")
MAIL_PORT = int(os.environ.get("MAIL_PORT", "8628"))
offers = {}
sessions = {}


def mail(address, code, link):
    """Sends the code and the link, as text and as HTML."""
    message = EmailMessage()
    message["From"] = "Crew desk <crew@saltmarsh-ferries.example>"
    message["To"] = address
    message["Subject"] = "Your code for the crew desk"
    message.set_content(f"Your code: {code}\n\nOr come in by this link:\n{link}\n")
    message.add_alternative(
        f'<p>Your code: <b>{code}</b></p><p><a href="{escape(link)}">Sign in</a></p>', subtype="html"
    )
    with smtplib.SMTP(MAIL_HOST, MAIL_PORT) as server:
        server.send_message(message)


class Desk(BaseHTTPRequestHandler):
    def answer(self, body, status=200, headers=()):
        self.send_response(status)
        self.send_header("Content-Type", "text/html; charset=utf-8")
        for name, value in headers:
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(f'<!doctype html><html lang="en"><title>Crew desk</title><h1>Crew desk</h1>{body}'.encode())

    def do_GET(self):
        where = urlsplit(self.path)
        if where.path == "/sign-in":
            token = parse_qs(where.query).get("token", [""])[0]
            # Programs that read mail follow links; only a person presses the button.
            self.answer(
                f'<form method="post" action="/sign-in"><input type="hidden" name="token" value="{escape(token)}">'
                "<button>Sign in</button></form>"
            )
            return
        cookie = self.headers.get("Cookie", "").partition("session=")[2].partition(";")[0]
        if cookie in sessions:
            self.answer(f"<p>You are signed in as <strong>{escape(sessions[cookie])}</strong>.</p>")
            return
        self.answer(
            '<form method="post" action="/offers"><label>Your address <input name="address" type="email"></label>'
            "<button>Send a code</button></form>"
        )

    def do_POST(self):
        size = int(self.headers.get("Content-Length", "0"))
        form = {name: values[0] for name, values in parse_qs(self.rfile.read(size).decode()).items()}
        token = form.get("token", "")
        if self.path == "/offers":
            token = secrets.token_urlsafe(24)
            code = f"{secrets.randbelow(1_000_000):06}"
            offers[token] = (form.get("address", ""), code)
            mail(form.get("address", ""), code, f"http://{self.headers['Host']}/sign-in?token={token}")
            self.answer(
                f'<form method="post" action="/sessions"><input type="hidden" name="token" value="{token}">'
                '<label>The code <input name="code"></label><button>Sign in</button></form>'
            )
            return
        address, code = offers.pop(token, (None, None))
        if address is None or (self.path == "/sessions" and not secrets.compare_digest(form.get("code", ""), code)):
            self.answer('<p role="alert">That does not fit. <a href="/">Ask for another code</a></p>', 401)
            return
        session = secrets.token_urlsafe(24)
        sessions[session] = address
        self.answer("", 303, [("Location", "/"), ("Set-Cookie", f"session={session}; HttpOnly; SameSite=Lax; Path=/")])

    def log_message(self, *args):
        pass


if __name__ == "__main__":
    server = ThreadingHTTPServer(("127.0.0.1", int(os.environ.get("PORT", "8641"))), Desk)
    print(f"http://127.0.0.1:{server.server_port}", flush=True)
    server.serve_forever()
