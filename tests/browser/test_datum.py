"""A job on a classical datum from New job to a check that agrees, a wrong pole named as such, a mail of two columns; three sizes."""

import socket
import threading
import time
from datetime import UTC, datetime, timedelta

import pytest

from openstake.core.geodesy.ellipsoid import ecef_from_geodetic, geodetic_from_ecef
from openstake.core.vector import raised_along_normal
from openstake.standin.receiver import Fix, gga, gst
from tests.browser.conftest import LAPTOP, PHONE, TABLET, resize
from tests.browser.test_chain import arrived
from tests.browser.test_check import cards, start
from tests.browser.test_check import site as site
from tests.browser.test_walk import axe
from tests.browser.test_watch import fixed, keys
from tests.workflow.test_datums import Site, plain

pytestmark = [pytest.mark.browser, pytest.mark.slow]

ROD_M = 2.0


class Rover:
    """A receiver on a pole that stands: fixed positions at 1 Hz of its own time, four times as fast as ours, to whoever connects."""

    def __init__(self, place):
        self._place, self._stop = place, threading.Event()
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.url = f"tcp://127.0.0.1:{self._listener.getsockname()[1]}"
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self):
        while not self._stop.is_set():
            try:
                client, _ = self._listener.accept()
            except OSError:
                return
            began, number = datetime.now(UTC), 0
            with client:
                while not self._stop.is_set():
                    fix = Fix(
                        moment=began + timedelta(seconds=number),
                        quality=4,
                        separation_m=0.0,
                        satellites=22,
                        hdop=0.6,
                        age_s=1.0,
                        station_id=17,
                        sigma_east_m=0.006,
                        sigma_north_m=0.006,
                        sigma_up_m=0.011,
                        **dict(zip(("latitude_deg", "longitude_deg", "altitude_m"), self._place, strict=True)),
                    )
                    try:
                        client.sendall(gga(fix) + gst(fix))
                    except OSError:
                        break
                    number += 1
                    time.sleep(0.25)

    def close(self):
        self._stop.set()
        self._listener.close()


def test_a_job_on_bessel_from_new_job_to_a_check_that_agrees(page, tmp_path):
    """EPSG:28992; positions by pyproj apart, of the operation that is chosen."""
    where = Site(28992, 7)
    page.open()
    page.press("New job")
    page.type("name", "Old polder")
    page.type("system", "28992")
    page.press("Amersfoort / RD New")
    page.sees("choose the frame of the receivers")
    page.sees("classical")
    page.shot("bessel-asks")
    assert axe(page) == []
    page.choose("Positions come in", "WGS 84")
    page.driver.find_element("xpath", "//label[normalize-space(.)='Operation']/..//button").click()
    offered = page.until(lambda: page.driver.find_elements("css selector", "[role='option']"))
    name = offered[0].text.split("\n")[0].split("good to")[0].split("accuracy")[0].strip()
    offered[0].click()
    page.press("Make the job")
    page.sees("No control yet")
    rows = "".join(f"M{n},{east!r},{north!r},{float(where.datum[n, 2])!r}\n" for n, (east, north) in enumerate(where.grid_m.tolist()))
    (tmp_path / "polder.csv").write_text("name,east,north,ellipsoidal height\n" + rows)
    page.give_file("Control list file", tmp_path / "polder.csv")
    page.press("Take 2 marks")
    page.sees("M1")
    mark = ecef_from_geodetic(*where.positions("EPSG:4979", plain(name))[1])
    rover = Rover([float(value) for value in geodetic_from_ecef(raised_along_normal(mark, ROD_M))])
    try:
        page.go("Base")
        page.press("Next: Mark")
        page.choose("Mark under the antenna", "M0")
        page.press("Next: Height")
        page.type("reading", "1.5 m")
        page.sees("as typed now")
        page.press("Add the reading")
        page.sees("one reading")
        page.press("Next: Coordinate")
        page.press("Known mark", tag="*[@role='radio']")
        page.sees("Taken:")
        page.press("Next: On the air")
        page.type("rover_url", rover.url)
        page.choose("position refers to", "ARP")
        page.press("Start the base")
        page.sees("FIXED", 40)
        page.go("Check")
        page.choose("Mark under the pole", "M1")
        page.type("seconds", "5")
        keys(page, "r")
        page.until(lambda: len(cards(page)) == 1, 60)
        page.sees("M1 agrees:")
    finally:
        rover.close()
    page.shot("bessel-checked")
    assert axe(page) == []
    for size in (TABLET, PHONE):
        resize(page.driver, size)
        page.sees("M1 agrees:")
        assert page.driver.execute_script("return document.documentElement.scrollWidth <= window.innerWidth + 1")
    resize(page.driver, LAPTOP)


def test_a_wrong_pole_is_named_and_not_the_base(page, site):
    api, job, marks = site
    start(site)
    page.open(f"/job/{job}/check")
    fixed(page)
    shot = {"mark_id": marks["CS2"], "seconds": 2, "reading": "2.000 m", "feature": "rod"}
    api("POST", f"/jobs/{job}/checks", shot)
    page.until(lambda: len(cards(page)) == 1, 60)
    # The crew goes on with the telescopic pole: it stands at 2.000 m, and 1.800 m is typed.
    api("POST", f"/jobs/{job}/stand", {"who": "rover", "mark_id": marks["CS5"]})
    arrived(page, api, job, "CS5")
    fixed(page)
    api("POST", f"/jobs/{job}/checks", shot | {"mark_id": marks["CS5"], "reading": "1.800 m", "feature": "pole"})
    page.until(lambda: len(cards(page)) == 2, 60)

    page.sees("that rover height is the first suspect")
    page.sees("Leave the base's height as it is")
    page.shot("wrong-pole")
    assert axe(page) == []
    for size in (TABLET, PHONE):
        resize(page.driver, size)
        page.sees("that rover height is the first suspect")
        assert page.driver.execute_script("return document.documentElement.scrollWidth <= window.innerWidth + 1")
    resize(page.driver, LAPTOP)


MAIL = """The office has computed the base.

                     ITRF2020            ETRS89
Latitude             52 24 36.51234 N    52 24 36.49876 N
Longitude            6 28 12.34567 W     6 28 12.36789 W
Ellipsoidal height   64.123 m            64.101 m
"""


def test_a_mail_of_two_columns_offers_both_and_takes_none(page, site, tmp_path):
    _, job, _ = site
    start(site, source="mark")
    (tmp_path / "mail.txt").write_text(MAIL)
    page.open(f"/job/{job}/base")
    page.sees("End the base")
    page.step("Coordinate")
    page.press("Put in a coordinate", tag="summary")
    page.give_file("Solution", tmp_path / "mail.txt")
    page.sees("ETRS89")
    page.sees("ITRF2020")
    assert page.field("latitude").get_attribute("value") == "" and page.field("height").get_attribute("value") == ""
    page.shot("mail-of-two")
    assert axe(page) == []
    for size in (TABLET, PHONE):
        resize(page.driver, size)
        page.sees("ITRF2020")
        assert page.driver.execute_script("return document.documentElement.scrollWidth <= window.innerWidth + 1")
    resize(page.driver, LAPTOP)
