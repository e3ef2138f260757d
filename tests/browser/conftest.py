"""One headless Chromium per worker, and a demo of its own in a process of its own."""

import json
import os
import re
import shutil
import time
from pathlib import Path

import pytest
from selenium import webdriver
from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.support.ui import WebDriverWait

from tests import processes
from tests.conftest import PATIENCE

SHOTS = os.environ.get("OPENSTAKE_SHOTS")


LAPTOP, TABLET, PHONE = (1280, 800), (800, 1280), (390, 844)


# Keeps what has been shown, though it be for a moment: whether a driver looks in that moment is the machine's matter.
SHOWN = """
window.shown = [];
new MutationObserver((all) => {
  for (const one of all) {
    if (one.type === 'characterData') window.shown.push(one.target.parentElement?.textContent ?? '');
    for (const node of one.addedNodes) window.shown.push(node.textContent ?? '');
  }
}).observe(document, { subtree: true, childList: true, characterData: true });
"""


def new_browser(downloads, *flags):
    """Start a headless Chromium with further flags."""
    options = Options()
    options.add_experimental_option("prefs", {"download.default_directory": str(downloads)})
    options.binary_location = "/usr/bin/chromium"
    for flag in (
        "--headless=new",
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--hide-scrollbars",
        *flags,
    ):
        options.add_argument(flag)
    return webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))


def resize(driver, size):
    """Give a browser the window of a laptop, or that of a tablet or phone in the hand."""
    width, height = size
    metrics = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": size in (TABLET, PHONE)}
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)


@pytest.fixture(scope="session")
def chromium(tmp_path_factory):
    driver = new_browser(tmp_path_factory.mktemp("downloads"))
    resize(driver, LAPTOP)
    yield driver
    driver.quit()


class Demo:
    """`openstake demo` in a process of its own; it can be killed and started again on the same data and port."""

    def __init__(self, folder, made, speed=4, port=0, more=()):
        """`made` is the demo's folder, as it was filled once: this one goes on from a copy of it."""
        self.folder, self.speed, self.port, self.more = folder, speed, port, more
        shutil.copytree(made, folder, dirs_exist_ok=True)
        # The fix is not the matter: it comes two seconds after the first corrections.
        world = folder / "world.json"
        world.write_text(json.dumps(json.loads(world.read_text()) | {"fix_after_s": 2.0}))
        self.start()

    def start(self):
        command = ["demo", "--port", str(self.port), "--data", str(self.folder)]
        self.process = processes.Popen(
            [*command, "--speed", str(self.speed), *self.more], stdout=processes.PIPE, stderr=processes.STDOUT, text=True
        )
        line = self.process.stdout.readline()
        found = re.search(r"http://127\.0\.0\.1:(\d+)", line)
        assert found, line
        self.port = int(found[1])

    @property
    def url(self):
        return f"http://127.0.0.1:{self.port}"

    def fix_as_receivers_do(self):
        """Let the rover take its time to a fix, where what it shows until then is the matter."""
        world = self.folder / "world.json"
        document = json.loads(world.read_text())
        del document["fix_after_s"]
        world.write_text(json.dumps(document))

    def stop(self):
        self.process.terminate()
        self.process.wait(60)


@pytest.fixture
def demo(request, tmp_path, demo_folder):
    """A demo of the test's own; `speed` says how fast its time runs: slowly, where what is typed must follow within seconds of it."""
    speed = request.node.get_closest_marker("speed")
    running = Demo(tmp_path / "data", demo_folder, speed=speed.args[0] if speed else 4)
    yield running
    running.stop()


class Page:
    """What a surveyor does with a page: reads, presses, types."""

    def __init__(self, driver, url):
        self.driver, self.url = driver, url

    def open(self, path=""):
        self.driver.get(self.url + path)

    def until(self, what, seconds=20):
        # What is drawn anew between two looks is looked at again.
        wait = WebDriverWait(self.driver, PATIENCE * seconds, poll_frequency=0.2, ignored_exceptions=[StaleElementReferenceException])
        return wait.until(lambda _: what())

    def text(self):
        # As the browser lays it out; the driver's own way looks at every element by itself, ten times a second.
        return self.driver.execute_script("return document.body.innerText")

    def sees(self, words, seconds=20):
        try:
            self.until(lambda: words in self.text(), seconds)
        except Exception:
            raise AssertionError(f"'{words}' is not on the page, which says:\n{self.text()}") from None

    def remember(self):
        """From here on keep what the page shows, for `saw`."""
        self.driver.execute_script(SHOWN)

    def saw(self, words, seconds=20):
        """Wait until words are on the page or have been since `remember`: for what is there for a moment only."""
        script = "return window.shown.some((text) => text.includes(arguments[0]))"
        self.until(lambda: words in self.text() or self.driver.execute_script(script, words), seconds)

    def press(self, words, tag="button"):
        xpath = f'//{tag}[contains(normalize-space(.), "{words}") and not(@disabled)]'
        self.until(lambda: self.driver.find_elements(By.XPATH, xpath))
        self.until(lambda: self.driver.find_element(By.XPATH, xpath).click() or True)

    def field(self, name):
        return self.until(lambda: self.driver.find_elements(By.CSS_SELECTOR, f"input[name='{name}'], textarea[name='{name}']"))[0]

    def type(self, name, text):
        field = self.field(name)
        field.send_keys("\ue009a\ue000\ue017" + text)  # select all, delete, type

    def choose(self, label, option):
        xpath = f"//label[contains(., '{label}')]/following-sibling::button | //label[contains(., '{label}')]/..//button"
        self.until(lambda: self.driver.find_elements(By.XPATH, xpath))[0].click()
        choice = f"//*[@role='option'][contains(normalize-space(.), '{option}')]"
        self.until(lambda: self.driver.find_elements(By.XPATH, choice))[0].click()

    def go(self, step):
        self.press(step, tag="nav//a")

    def view(self, name):
        """Open a view of the page."""
        self.press(name, tag="button[@role='tab']")
        self.until(lambda: name in self.heading())

    def step(self, name):
        """Open a step of the Base page."""
        self.press(name, tag="li/button")
        self.until(lambda: self.driver.find_elements(By.XPATH, f'//li/button[@aria-expanded="true"][contains(., "{name}")]'))

    def set_up_base(self, mark, reading):
        """Set the stand-in tripod up over a mark, read its height once, take the known coordinate; ready to start."""
        self.go("Base")
        self.press("Next: Mark")
        self.choose("Mark under the antenna", mark)
        self.press("Set it up here")
        self.sees(f"stands on {mark}")
        self.press("Next: Height")
        self.type("reading", reading)
        self.sees("as typed now")
        self.press("Add the reading")
        self.sees("one reading")
        self.press("Next: Coordinate")
        self.press("Known mark", tag="*[@role='radio']")
        self.sees("Taken:")
        self.press("Next: On the air")

    def correct_base_height(self, reading, metres, reason):
        """Put another reading in place of the one that stands."""
        self.go("Base")
        self.step("Height")
        self.press("Correct")
        self.type("reading", reading)
        self.type("reason", reason)
        self.press(f"Put {metres} in its place")
        self.sees(", corrected")

    def end_base(self):
        """End the base that stood at 1.546 m: the closing height is asked for, and agrees."""
        self.press("End the base")
        self.sees("No closing height yet")
        self.type("reading", "1.547")
        self.press("Add 1.547 m")
        self.sees("Opening 1.546 m, closing 1.547 m")
        self.press("End the base", tag="footer//button")
        self.sees("NOT RUNNING")

    def heading(self):
        return self.driver.execute_script("return document.querySelector('h1')?.textContent ?? ''")

    def give_file(self, label, path):
        """Choose a file in the field of that label."""
        field = self.until(lambda: self.driver.find_elements(By.CSS_SELECTOR, f"input[type=file][aria-label='{label}']"))
        field[0].send_keys(str(path))

    def shot(self, name):
        """Take a picture where pictures are asked for."""
        if SHOTS:
            folder = Path(SHOTS)
            folder.mkdir(parents=True, exist_ok=True)
            time.sleep(0.4)
            self.driver.save_screenshot(str(folder / f"{name}.png"))


@pytest.fixture
def page(chromium, demo):
    return Page(chromium, demo.url)


@pytest.fixture(scope="session")
def visit(chromium, tmp_path_factory, demo_folder):
    """A page on a demo that several tests share: they look around and start nothing."""
    running = Demo(tmp_path_factory.mktemp("shared") / "data", demo_folder)
    yield Page(chromium, running.url)
    running.stop()
