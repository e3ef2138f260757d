"""Every page on a laptop, on a tablet held upright, on a phone and at 200 %: nothing beyond the edge, the action at the thumb, axe content."""

import re
from pathlib import Path

import pytest
from selenium.webdriver.common.by import By

from tests.browser.conftest import LAPTOP, PHONE, TABLET, Page, resize
from tests.browser.crew import Crew
from tests.browser.test_walk import axe

pytestmark = [pytest.mark.browser, pytest.mark.slow]

# WCAG 2.2, 1.4.4: text at 200 % of a window of 1280 × 800.
ZOOMED = (640, 400)
SIZES = {"laptop": LAPTOP, "tablet": TABLET, "phone": PHONE, "200 %": ZOOMED}
FEATURES = Path(__file__).parent.parent.parent / "web" / "src" / "features"


def every_page():
    """Return the address of every view of every step, as the pages declare them, and of the pages of no job."""
    found = ["/", "/phones", "/about"]
    for file in sorted(FEATURES.glob("*/*Page.tsx")):
        step, beside = file.parent.name, file.with_name("props.ts")
        text = file.read_text() + (beside.read_text() if beside.exists() else "")
        if file.stem.lower() != f"{step}page":
            continue
        declared = re.search(r"const VIEWS = \[(.*?)\] as const", text, re.S)
        views = re.findall(r'view: "(\w+)"', declared[1]) if declared else []
        found += [f"/job/{{job}}/{step}?view={view}" for view in views] if step != "about" else []
    return found


# What reaches over the edge of the window, or of what scrolls up and down, and is not cut with three dots by design.
BEYOND = """
const width = document.documentElement.clientWidth, out = [];
for (const item of document.querySelectorAll('body *')) {
  const box = item.getBoundingClientRect(), style = getComputedStyle(item);
  if (!box.width || !box.height || style.visibility === 'hidden' || item.closest('.sr-only, svg *, .ol-viewport')) continue;
  if (['INPUT', 'TEXTAREA'].includes(item.tagName)) continue;  // a long word scrolls in its field
  const says = `${item.tagName} ${(item.textContent || '').slice(0, 40)}`;
  if (box.right > width + 1 || box.left < -1) out.push(`${says}: ${Math.round(box.left)} to ${Math.round(box.right)}`);
  const cuts = style.overflowX !== 'visible' && style.textOverflow !== 'ellipsis';
  if (cuts && item.scrollWidth > item.clientWidth + 1) out.push(`${says}: holds ${item.scrollWidth} in ${item.clientWidth}`);
}
return out.slice(0, 5);
"""
# The foot's buttons and links that are large: the page's action, and what stands beside it.
ACTIONS = """
return [...document.querySelectorAll('footer button, footer a')].filter((item) => item.offsetParent && item.offsetHeight >= 60)
  .map((item) => { const box = item.getBoundingClientRect(); return [item.textContent, box.top, box.bottom, box.left, box.right, box.height]; });
"""


@pytest.fixture(scope="module")
def crew(chromium, tmp_path_factory, demo_folder):
    crew = Crew(tmp_path_factory.mktemp("crew"), demo_folder, chromium, tmp_path_factory.mktemp("profile"))
    crew.start_base()
    crew.post(f"/jobs/{crew.job}/checks", {"mark_id": crew.mark("CS2"), "seconds": 2, "reading": "2.000 m", "feature": "rod"})
    yield crew
    resize(chromium, LAPTOP)
    crew.close()


def test_every_view_is_among_the_pages_that_are_looked_at():
    assert len(every_page()) >= 40
    assert {"/job/{job}/watch?view=points", "/job/{job}/check?view=shot", "/job/{job}/link?view=air"} <= set(every_page())


def settled(page, path):
    page.open(path)
    page.until(lambda: page.driver.find_elements(By.TAG_NAME, "h1"))
    page.until(lambda: "Opening" not in page.text() and "Reading the" not in page.text())


@pytest.fixture(scope="module")
def looked(crew):
    """What is wrong with each page in each window: a page is opened once, and the window is turned and changed under it."""
    page = Page(crew.laptop.driver, crew.demo.url)
    found = {size: {} for size in SIZES}
    for address in every_page():
        settled(page, address.format(job=crew.job))
        for size, window in SIZES.items():
            resize(page.driver, window)
            page.driver.execute_async_script(DRAWN)
            found[size][address] = [*page.driver.execute_script(BEYOND), *outside(page, size), *axe(page)]
            if (size, address) == ("tablet", "/job/{job}/watch?view=now"):
                page.until(lambda: page.driver.find_elements(By.CSS_SELECTOR, "[data-big]"))
                page.shot("hand-watch")
    return found


# Two frames after the window has changed all that goes by it has been drawn.
DRAWN = "const done = arguments[0]; requestAnimationFrame(() => requestAnimationFrame(done));"


def outside(page, size):
    """Return the actions that are not in the window, or not at the thumb."""
    width, height = SIZES[size]
    return [
        text
        for text, top, bottom, left, right, tall in page.driver.execute_script(ACTIONS)
        if top < 0 or bottom > height or left < 0 or right > width or tall < 72 or (size != "laptop" and top < height / 2)
    ]


@pytest.mark.parametrize("size", SIZES)
def test_nothing_reaches_over_the_edge_the_action_is_in_the_window_and_axe_is_content(looked, size):
    assert len(looked[size]) == len(every_page())
    assert {address: what for address, what in looked[size].items() if what} == {}


AAA = """
const done = arguments[arguments.length - 1];
axe.run(document, { runOnly: ['color-contrast-enhanced'], rules: { 'color-contrast-enhanced': { enabled: true } } }).then((result) => done(
  result.violations.flatMap((item) => item.nodes.map((node) => node.target.join(' ') + ': ' + node.any[0].message))
));
"""


@pytest.mark.parametrize("view", ["watch?view=now", "watch?view=points", "check?view=shot", "base?view=now"])
def test_in_the_sun_every_text_has_the_contrast_of_aaa(crew, view):
    """WCAG 2.2, 1.4.6: 7 to 1, large text 4.5 to 1."""
    page = Page(crew.laptop.driver, crew.demo.url)
    resize(page.driver, PHONE)
    page.open()
    page.driver.execute_script("localStorage.setItem('theme', 'sun')")
    settled(page, f"/job/{crew.job}/{view}")
    axe(page)

    found = page.driver.execute_async_script(AAA)

    page.driver.execute_script("localStorage.removeItem('theme')")
    assert found == []


def test_tabs_are_gone_through_with_the_arrow_keys_and_say_what_they_open(crew):
    """WAI-ARIA Authoring Practices, tabs: arrows, Home and End move; one tab is in the order of the Tab key; it names its panel."""
    page = Page(crew.laptop.driver, crew.demo.url)
    resize(page.driver, LAPTOP)
    settled(page, f"/job/{crew.job}/check?view=shot")

    def chosen():
        return page.driver.execute_script(
            "const a = document.activeElement; return a.getAttribute('aria-selected') === 'true' ? a.textContent : ''"
        )

    page.driver.execute_script("document.querySelector('[role=tab][aria-selected=true]').focus()")
    for key, word in (
        ("\ue014", "Plan"),
        ("\ue014", "Re-seat"),
        ("\ue012", "Plan"),
        ("\ue010", "Field test"),
        ("\ue014", "Check a mark"),
        ("\ue011", "Check a mark"),
    ):
        page.driver.switch_to.active_element.send_keys(key)
        page.until(lambda word=word: chosen() == word)
    tabs = page.driver.find_elements(By.CSS_SELECTOR, "[role=tab]")
    assert [tab.get_attribute("tabindex") for tab in tabs].count("0") == 1
    panel = page.driver.find_element(By.CSS_SELECTOR, "[role=tabpanel]")
    assert {tab.get_attribute("aria-controls") for tab in tabs} == {panel.get_attribute("id")}


def test_what_changes_every_second_is_not_spoken_and_a_change_of_state_is(crew):
    page = Page(crew.laptop.driver, crew.demo.url)
    resize(page.driver, PHONE)
    settled(page, f"/job/{crew.job}/watch?view=now")
    page.until(lambda: page.driver.find_elements(By.CSS_SELECTOR, "[role=img][aria-label^='Fix history: now fixed']"), 60)
    page.driver.execute_script(
        "window.spoken = []; window.changed = 0; new MutationObserver((all) => all.forEach((one) => {"
        " window.changed += 1;"
        " const live = (one.target.closest ? one.target : one.target.parentElement)?.closest('[role=status], [role=alert], [aria-live]');"
        " if (live) window.spoken.push(live.textContent); }))"
        ".observe(document.body, { subtree: true, childList: true, characterData: true })"
    )
    page.until(lambda: page.driver.execute_script("return window.changed") > 10, 60)
    assert page.driver.execute_script("return window.spoken") == []
