"""Two people at one job: a laptop at the base, a phone at the pole, and a radio between them that can go silent."""

import base64
import contextlib
import hashlib
import json
import re
import socket
import threading
import time
import urllib.request

from cryptography import x509
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

from openstake.store.certificates import CERTIFICATES, made_here
from tests.browser.conftest import PHONE, Demo, Page, new_browser, resize
from tests.conftest import start_wish, wait_for

PASSPHRASE = "wet boots and lath"


class Radio:
    """A relay on the loopback; while it is silent nothing passes and nothing is refused, as out of reach of a Wi-Fi."""

    def __init__(self, port):
        self._port, self.silent, self._carries = port, False, threading.Condition()
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.port = self._listener.getsockname()[1]
        threading.Thread(target=self._accept, daemon=True).start()

    def go_silent(self):
        self.silent = True

    def come_back(self):
        with self._carries:
            self.silent = False
            self._carries.notify_all()

    def _accept(self):
        with contextlib.suppress(OSError):
            while True:
                near, _ = self._listener.accept()
                far = socket.create_connection(("127.0.0.1", self._port))
                for one, other in ((near, far), (far, near)):
                    threading.Thread(target=self._carry, args=(one, other), daemon=True).start()

    def _carry(self, one, other):
        with contextlib.suppress(OSError):
            while part := one.recv(65536):
                with self._carries:
                    self._carries.wait_for(lambda: not self.silent)
                other.sendall(part)
        for end in (one, other):
            with contextlib.suppress(OSError):
                end.close()

    def close(self):
        self._listener.close()


class Crew:
    """The demo on the network, its base running and its rover fixed; a phone that trusts the program's certificate."""

    def __init__(self, folder, made, laptop, profile):
        data = folder / "data"
        data.mkdir()
        made_here(data, ("127.0.0.1",), time.time())
        root = x509.load_pem_x509_certificate((data / CERTIFICATES / "root.pem").read_bytes())
        key = root.public_key().public_bytes(Encoding.DER, PublicFormat.SubjectPublicKeyInfo)
        self.demo = Demo(data, made, more=("--lan", "--lan-port", "0", "--lan-address", "127.0.0.1"))
        self.lan_url = re.search(r"https://\S+", self.demo.process.stdout.readline())[0]
        port = int(self.lan_url.rpartition(":")[2])
        self.radio = Radio(port)
        self.post("/hand/passphrase", {"passphrase": PASSPHRASE, "again": PASSPHRASE, "hint": "what we stand in"})
        self.laptop = Page(laptop, self.demo.url)
        driver = new_browser(
            folder,
            f"--user-data-dir={profile}",
            f"--host-resolver-rules=MAP 127.0.0.1:{port} 127.0.0.1:{self.radio.port}",
            f"--ignore-certificate-errors-spki-list={base64.b64encode(hashlib.sha256(key).digest()).decode()}",
        )
        resize(driver, PHONE)
        self.phone = Page(driver, self.lan_url)
        self.job = next(item["id"] for item in self.get("/jobs")["jobs"] if item["name"] == "Carrow Sluice")

    def get(self, path):
        with urllib.request.urlopen(f"{self.demo.url}/api{path}") as answer:
            return json.load(answer)

    def post(self, path, body):
        headers = {"Content-Type": "application/json"}
        request = urllib.request.Request(f"{self.demo.url}/api{path}", json.dumps(body).encode(), headers)
        with urllib.request.urlopen(request) as answer:
            return json.load(answer)

    def mark(self, name):
        return next(mark["id"] for mark in self.get(f"/jobs/{self.job}/marks")["marks"] if mark["name"] == name)

    def start_base(self):
        suggested = self.get(f"/jobs/{self.job}/base")["suggested"]
        for who, mark in (("base", "CS1"), ("rover", "CS2")):
            self.post(f"/jobs/{self.job}/stand", {"who": who, "mark_id": self.mark(mark)})
        self.post(
            f"/jobs/{self.job}/base/start",
            start_wish(
                mark_id=self.mark("CS1"),
                reading="1.546 m",
                feature="bottom",
                source="mark",
                station_id=17,
                base_url=suggested["base_url"],
                rover_url=suggested["rover_url"],
            ),
        )
        wait_for(lambda: (self.get(f"/jobs/{self.job}/watch")["live"] or {}).get("status") == "fixed", 60)

    def sign_in(self, who="MK", passphrase=PASSPHRASE):
        """Open the program on the phone and come in."""
        self.phone.open()
        self.phone.sees("Your initials")
        self.phone.type("who", who)
        self.phone.type("passphrase", passphrase)
        self.phone.press("Sign in")

    def ready(self):
        """See that the base runs, and that the phone is signed in and has the jobs before it."""
        self.radio.come_back()
        if self.get(f"/jobs/{self.job}/base")["occupation"] is None:
            self.start_base()
        self.phone.open()
        self.phone.until(lambda: "Your initials" in self.phone.text() or "Carrow Sluice" in self.phone.text())
        if "Your initials" in self.phone.text():
            self.sign_in()
            self.phone.sees("Carrow Sluice")

    def close(self):
        self.phone.driver.quit()
        self.radio.close()
        self.demo.stop()
