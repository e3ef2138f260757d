"""The phone at the pole: let in, recording with one hand, two people at one job, and out of reach for a while."""

import re

import pytest
from selenium.webdriver.common.by import By

from tests.browser.conftest import LAPTOP, resize
from tests.browser.crew import Crew

pytestmark = [pytest.mark.browser, pytest.mark.slow]

# A thumb in a glove (common practice, no source); WCAG 2.2, 2.5.5 asks for 44.
TOUCH_PX, RECORD_PX, BIG_PX = 48, 72, 48


@pytest.fixture(scope="module")
def crew(chromium, tmp_path_factory, demo_folder):
    resize(chromium, LAPTOP)
    crew = Crew(tmp_path_factory.mktemp("crew"), demo_folder, chromium, tmp_path_factory.mktemp("profile"))
    yield crew
    crew.close()


@pytest.fixture
def at_work(crew):
    """The crew with its base running and its phone let in, whatever ran before."""
    crew.ready()
    return crew


def go(page, step):
    """Go to a step with the thumb: the button at the foot, then the sheet."""
    steps = page.until(lambda: page.driver.find_elements(By.CSS_SELECTOR, "[data-steps]"))[0]
    assert rect(steps)["height"] >= RECORD_PX
    steps.click()
    page.press(step, tag="nav[@aria-label='All steps']//a")
    page.until(lambda: not page.driver.find_elements(By.CSS_SELECTOR, "nav[aria-label='All steps']"))


def rect(element):
    return element.rect | {"bottom": element.rect["y"] + element.rect["height"]}


def shown(page, css):
    return [item for item in page.driver.find_elements(By.CSS_SELECTOR, css) if item.is_displayed()]


def strip(page):
    return page.driver.find_element(By.TAG_NAME, "header").text


def test_a_phone_is_let_in_and_the_laptop_sees_it(crew):
    crew.post("/hand/end", {})
    crew.laptop.open("/phones")
    crew.laptop.sees(crew.lan_url)
    crew.laptop.sees("what we stand in")
    crew.laptop.sees("Nobody yet")
    crew.sign_in(passphrase="not the passphrase")
    crew.phone.sees("This is not the passphrase.")

    crew.sign_in()
    crew.phone.sees("Carrow Sluice")
    crew.laptop.sees("MK")
    crew.laptop.sees("at 127.0.0.1")


def test_a_check_is_recorded_with_one_hand_and_the_book_keeps_whose_it_is(at_work):
    crew = at_work
    phone = crew.phone
    phone.press("Carrow Sluice", tag="a")
    phone.until(lambda: "FIXED" in strip(phone), 60)
    go(phone, "Check")
    mark = phone.until(lambda: shown(phone, "input[role=combobox]"))[0]
    assert rect(mark)["height"] >= TOUCH_PX - 4  # the field's border belongs to its frame
    mark.send_keys("CS2")
    option = phone.until(lambda: shown(phone, "[role=option]"))[0]
    assert rect(option)["height"] >= TOUCH_PX
    option.click()
    record = phone.until(lambda: shown(phone, "[data-record]:not(:disabled)"))[0]
    assert rect(record)["height"] >= RECORD_PX and rect(record)["y"] > 600 and rect(record)["bottom"] <= 844
    phone.type("seconds", "2")
    record.click()
    phone.until(lambda: shown(phone, "[data-testid=verdict]"), 60)

    big = phone.until(lambda: shown(phone, "[data-big]"))
    digits = phone.driver.execute_script(
        "const c = document.createElement('canvas').getContext('2d'); const s = getComputedStyle(arguments[0]);"
        "c.font = `${s.fontWeight} ${s.fontSize} ${s.fontFamily}`; const m = c.measureText('0');"
        "return m.actualBoundingBoxAscent + m.actualBoundingBoxDescent",
        big[0],
    )
    assert len(big) == 2 and digits >= BIG_PX
    assert re.search(r"north [+−]?\d\.\d{3}, east", shown(phone, "svg[role=img]")[0].get_attribute("aria-label"))
    phone.shot("hand-check")
    lines = crew.get(f"/jobs/{crew.job}/book")["lines"]
    assert next(line["by"] for line in lines if line["sentence"].startswith("Check on CS2")) == "MK"
    go(phone, "Book")
    phone.sees("MK")


# A page that is not told what others do while `deaf` is set: what it shows is of before.
DEAF = """
window.EventSource = class extends window.EventSource {
  addEventListener(kind, listener, ...more) {
    super.addEventListener(kind, (event) => kind === 'beat' || !window.deaf ? listener(event) : undefined, ...more);
  }
};
"""


def test_two_who_record_at_once_lose_and_double_nothing(at_work):
    crew = at_work
    phone, laptop = crew.phone, crew.laptop
    # Long enough that the second press falls into it on any machine.
    settings = crew.get(f"/jobs/{crew.job}/points/settings")
    values = settings["settings"] | {
        "kinds": [kind | {"seconds": 30.0} if kind["name"] == "topo" else kind for kind in settings["settings"]["kinds"]]
    }
    crew.post(f"/jobs/{crew.job}/points/settings", {"values": values, "replaces_id": settings["id"], "length_unit": "m"})
    deaf = laptop.driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": DEAF})
    laptop.open(f"/job/{crew.job}/watch?view=points")
    laptop.driver.execute_cdp_cmd("Page.removeScriptToEvaluateOnNewDocument", deaf)
    phone.open(f"/job/{crew.job}/watch?view=points")
    for page in (laptop, phone):
        page.press("topo", tag="*[@role='radio']")
        page.until(lambda page=page: shown(page, "[data-record]:not(:disabled)"), 60)

    laptop.driver.execute_script("window.deaf = true")
    phone.driver.execute_script("document.querySelector('[data-record]').click()")
    phone.until(lambda: crew.get(f"/jobs/{crew.job}/watch")["live"]["shot"])
    laptop.driver.execute_script("document.querySelector('[data-record]').click()")
    laptop.sees("A shot is being recorded by MK.")
    laptop.driver.execute_script("window.deaf = false")
    for page in (laptop, phone):
        page.sees("next is P2", 60)

    points = crew.get(f"/jobs/{crew.job}/points")["points"]
    assert [point["name"] for point in points] == ["P1"]


def test_a_correction_that_lost_the_race_says_what_holds_now(at_work):
    crew = at_work
    phone, laptop = crew.phone, crew.laptop
    for page in (laptop, phone):
        page.open(f"/job/{crew.job}/base")
        page.step("Height")
        page.press("Correct")
    for page, reading in ((phone, "1.548"), (laptop, "1.544")):
        page.type("reading", reading)
        page.type("reason", "measured again")
    phone.press("Put 1.548 m in its place")
    phone.sees(", corrected")

    # What the laptop shows is of before: it corrects a value that is no more.
    answer = laptop.driver.execute_script(
        "return [...document.querySelectorAll('button')].find((b) => b.textContent.includes('in its place'))?.click() ?? 'pressed'"
    )
    assert answer == "pressed"
    laptop.until(lambda: "1.548" in laptop.text())
    readings = crew.get(f"/jobs/{crew.job}/base")["heights"]["readings"]
    assert [row["arp_height_m"] for row in readings] in ([1.548], [1.544])


def test_out_of_reach_it_says_since_when_and_comes_back_by_itself(at_work):
    crew = at_work
    phone = crew.phone
    phone.open(f"/job/{crew.job}/watch")
    phone.until(lambda: re.search(r"0\.\d{3}", strip(phone)), 30)
    crew.radio.go_silent()
    phone.sees("Cut off since", 30)
    assert "NO PROGRAM" in strip(phone) and not re.search(r"\d\.\d", strip(phone).partition("Cut off")[0])
    assert not shown(phone, "[data-big]"), "no number of then is shown as one of now"

    crew.radio.come_back()
    phone.until(lambda: "FIXED" in strip(phone), 60)
    assert "Cut off" not in phone.text()
    phone.until(lambda: shown(phone, "[data-big]"))


def test_the_page_can_be_put_on_the_home_screen(at_work):
    """W3C Web Application Manifest: a name, where it starts, and icons of 192 and 512 pixels (what browsers ask for; from memory)."""
    crew = at_work
    ask = (
        "const done = arguments[0]; (async () => {"
        " const link = document.querySelector('link[rel=manifest]').href, answer = await fetch(link), said = await answer.json();"
        " const icons = await Promise.all(said.icons.map(async (icon) => { const image = new Image(); image.src = icon.src;"
        "  await image.decode(); return [icon.sizes, icon.type, image.naturalWidth]; }));"
        " return { type: answer.headers.get('content-type'), said, icons }; })().then(done)"
    )
    found = crew.phone.driver.execute_async_script(ask)

    assert found["type"].startswith("application/manifest+json")
    assert found["said"]["name"] == "Open Stake" and found["said"]["display"] == "standalone"
    assert ["192x192", "image/png", 192] in found["icons"] and ["512x512", "image/png", 512] in found["icons"]


def test_in_a_dead_spot_the_page_starts_from_its_own_files_and_says_that_it_is_cut_off(at_work):
    crew = at_work
    phone = crew.phone
    phone.open(f"/job/{crew.job}/watch")
    ready = "const done = arguments[0]; navigator.serviceWorker.ready.then(() => done(true))"
    assert phone.driver.execute_async_script(ready)
    kept = "const done = arguments[0]; caches.keys().then((k) => caches.open(k[0])).then((c) => c.keys()).then((k) => done(k.map((r) => r.url)))"
    assert not [url for url in phone.driver.execute_async_script(kept) if "/api/" in url], "nothing of a job is kept"

    crew.radio.go_silent()
    phone.open(f"/job/{crew.job}/watch")
    phone.sees("Cut off", 40)
    crew.radio.come_back()
    phone.until(lambda: "FIXED" in phone.text(), 60)


def test_a_session_that_is_ended_on_the_laptop_ends_on_the_phone(at_work):
    crew = at_work
    phone, laptop = crew.phone, crew.laptop
    phone.open(f"/job/{crew.job}/watch")
    phone.until(lambda: "FIXED" in strip(phone), 60)
    laptop.open("/phones")
    laptop.sees("looking now")
    laptop.press("End", tag="li//button")

    phone.sees("Your initials", 30)
    laptop.sees("Nobody yet")
