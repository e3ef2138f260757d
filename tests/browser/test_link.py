"""The Link page in a real browser: a difference mended, a mountpoint picked from the stand-in, a card ticked and printed."""

import io
import urllib.request

import pypdf
import pytest

pytestmark = [pytest.mark.browser, pytest.mark.slow]


def test_a_forgotten_frequency_is_mended_a_mountpoint_picked_and_the_card_ticked(page):
    page.open()
    page.press("Carrow Sluice", tag="a")
    page.go("Link")
    page.sees("Both ends agree")
    page.go("Kit")
    page.press("Edit")
    page.type("link.frequency_mhz", "461.05")
    page.press("Save version 2")
    page.sees("461.05 MHz")

    page.go("Link")
    page.sees("The ends do not agree")
    page.press("different")
    page.sees("the rover's radio light stays dark")
    page.shot("link")
    page.press("Set both to 461.05 MHz")
    page.sees("Both ends agree")

    page.set_up_base("CS1", "1.546")
    page.press("Start the base")
    page.sees("sends what is meant", 30)
    page.go("Link")
    page.view("Caster")
    page.press("List its mountpoints")
    page.press("single base")
    page.press("Test the mountpoint")
    page.sees("Station 17, a real base", 30)
    page.press("Creek rover, UHF")
    page.sees("It is in: a new version of the profile")
    page.view("Both ends")
    page.sees("The ends do not agree")
    page.press("different")
    page.sees("one end speaks where the other does not listen")
    page.press("Set both to UHF")
    page.until(lambda: "Both ends agree" in page.text() or "not known" in page.text())

    page.view("On the air")
    page.type("satellites", "G10,R8,E9,C12")
    for words in ("GPS, 10 satellites", "173 bytes every 1 s", "Shares are of the load"):
        page.sees(words)
    page.view("Reach")
    page.sees("Lowest power that works")
    page.view("Setup card")
    page.sees("Never transmit without an antenna")
    page.press("The right receiver, by its label")
    page.until(lambda: page.driver.find_element("css selector", "[data-testid=carded]").text.startswith("1 of"))
    link = page.driver.find_element("css selector", "a[href*='card.pdf']").get_attribute("href")
    with urllib.request.urlopen(link) as answer:
        text = pypdf.PdfReader(io.BytesIO(answer.read())).pages[0].extract_text()
    assert "461.05 MHz" in text and "Heron" in text
    page.go("Book")
    page.sees("Ticked off: The right receiver, by its label (setup card)")
