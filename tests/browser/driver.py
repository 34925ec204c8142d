"""A driver that speaks the domain: people, screens and what they see."""

import re
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from selenium import webdriver
from selenium.common.exceptions import StaleElementReferenceException, WebDriverException
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement

FLAGS = (
    "--headless --no-sandbox --disable-gpu --disable-quic --no-first-run "
    "--disable-background-networking --disable-component-update --disable-sync "
    "--disable-dev-shm-usage"
).split()
AXE = Path(__file__).parents[2] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
PATIENCE = 25.0


class Screen:
    """One person's browser."""

    def __init__(self, base: str, width: int = 1280, height: int = 800) -> None:
        options = webdriver.ChromeOptions()
        options.binary_location = "/usr/bin/chromium"
        for flag in (*FLAGS, f"--user-data-dir={tempfile.mkdtemp(prefix='gannet-chromium-')}"):
            options.add_argument(flag)
        options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
        self.driver = webdriver.Chrome(service=Service("/usr/bin/chromedriver"), options=options)
        self.base = base
        self.resize(width, height)

    def resize(self, width: int, height: int) -> None:
        self.driver.execute_cdp_cmd(
            "Emulation.setDeviceMetricsOverride",
            {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False},
        )

    def open(self, path: str) -> None:
        self.driver.get(self.base + path)

    @property
    def path(self) -> str:
        return self.driver.current_url.removeprefix(self.base)

    def until(self, what: str, test: Callable[[], Any], patience: float = PATIENCE) -> Any:
        """Wait until something holds; says what was on the screen when it does not."""
        end = time.monotonic() + patience
        while True:
            try:
                found = test()
            except (StaleElementReferenceException, WebDriverException):
                found = None
            if found:
                return found
            if time.monotonic() > end:
                raise AssertionError(f"{what} – at {self.path}, which shows:\n{self.shown()}")
            time.sleep(0.08)

    def text(self) -> str:
        return str(self.driver.execute_script("return document.body.innerText"))

    def shown(self) -> str:
        """What is on the screen, shortened: what lies over the page first."""
        script = (
            "const near = document.querySelectorAll('[role=dialog],[role=menu],[data-sonner-toast]');"
            "return [...near].map((e) => e.innerText).join('\\n') + '\\n---\\n'"
            " + `focus: ${document.activeElement.outerHTML.slice(0, 120)}` + '\\n---\\n'"
        )
        return str(self.driver.execute_script(script)) + self.text()[:6000]

    def see(self, words: str, patience: float = PATIENCE) -> None:
        self.until(f"should see {words!r}", lambda: words in self.text(), patience)

    def not_see(self, words: str) -> None:
        self.until(f"should not see {words!r}", lambda: words not in self.text())

    def find(
        self, name: str, roles: str = "button,a,[role=button],[role=menuitem],summary"
    ) -> WebElement:
        """The first visible thing to press whose words or label start with a name."""
        script = """
            const [roles, name] = arguments;
            const label = (e) => (e.getAttribute('aria-label') || e.innerText || '').trim();
            const all = [...document.querySelectorAll(roles)].filter((e) => e.offsetParent !== null || e.closest('header'));
            const dialog = document.querySelector('[role=dialog]');
            const near = dialog ? all.filter((e) => dialog.contains(e)) : [];
            for (const set of dialog ? [near] : [all])
              for (const test of [(l) => l === name, (l) => l.startsWith(name), (l) => l.includes(name)])
                { const hit = set.find((e) => test(label(e)) && !e.disabled); if (hit) return hit; }
            return null;
        """
        return self.until(
            f"should find {name!r}", lambda: self.driver.execute_script(script, roles, name)
        )

    def press(self, name: str) -> None:
        self.until(f"should press {name!r}", lambda: self._click(self.find(name)))

    def press_beside(self, words: str, name: str) -> None:
        """Press the button of a name in the smallest part of the page that says some words."""
        script = """
            const [words, name] = arguments;
            const all = [...document.querySelectorAll('button')].filter((e) => e.innerText.trim() === name);
            let best = null, size = Infinity;
            for (const button of all)
              for (let e = button; e; e = e.parentElement)
                if (e.innerText.includes(words)) {
                  if (e.innerText.length < size) { best = button; size = e.innerText.length; }
                  break;
                }
            return best;
        """
        self.until(
            f"should press {name!r} beside {words!r}",
            lambda: self._click(self.driver.execute_script(script, words, name)),
        )

    def _click(self, element: WebElement) -> bool:
        self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", element)
        # What is still moving (a message that comes in) would be missed by the pointer.
        place = "const r = arguments[0].getBoundingClientRect(); return [r.x, r.y]"
        before = self.driver.execute_script(place, element)
        time.sleep(0.05)
        if self.driver.execute_script(place, element) != before:
            return False
        element.click()
        return True

    def field(self, label: str) -> WebElement:
        script = """
            const name = arguments[0];
            const root = document.querySelector('[role=dialog]') || document;
            for (const l of root.querySelectorAll('label'))
              if (l.innerText.trim().startsWith(name))
                return l.control || l.querySelector('input,textarea,select');
            return root.querySelector(`[aria-label^="${name}"]`);
        """
        return self.until(
            f"should find the field {label!r}", lambda: self.driver.execute_script(script, label)
        )

    def fill(self, label: str, words: str) -> None:
        def selected() -> WebElement | None:
            # A page that is just being drawn may put another field in its place.
            try:
                field = self.field(label)
                field.send_keys(Keys.CONTROL, "a")
            except StaleElementReferenceException:
                return None
            return field

        self.until(f"should fill {label!r}", selected).send_keys(words)

    def choose(self, label: str, option: str) -> None:
        def offered() -> WebElement | None:
            options = self.field(label).find_elements(By.TAG_NAME, "option")
            return next((found for found in options if found.text.startswith(option)), None)

        self.until(f"should be offered {option!r} in {label!r}", offered).click()

    def tick(self, label: str) -> None:
        self.until(f"should tick {label!r}", lambda: self._click(self.field(label)))

    def key(self, *keys: str) -> None:
        webdriver.ActionChains(self.driver).send_keys(*keys).perform()

    def chord(self, held: str, key: str) -> None:
        webdriver.ActionChains(self.driver).key_down(held).send_keys(key).key_up(held).perform()

    def focused(self) -> str:
        """The words of what has the focus."""
        script = (
            "const e = document.activeElement; const l = e.labels && e.labels[0];"
            "return (e.getAttribute('aria-label') || (l && l.innerText) || e.innerText || '').trim()"
        )
        return str(self.driver.execute_script(script))

    def tab_to(self, name: str, most: int = 70) -> None:
        """Press Tab until something of that name has the focus, as people without a mouse do."""
        seen = []
        for _ in range(most):
            if self.focused().startswith(name):
                return
            self.key(Keys.TAB)
            seen.append(self.focused()[:30])
        raise AssertionError(f"Tab never came to {name!r}, but to {seen}")

    def first_offered(self) -> str:
        """The words of what Enter would choose of a list that is offered while typing."""
        chosen = "[role=option][aria-selected=true]"
        return str(self.driver.find_element(By.CSS_SELECTOR, chosen).text)

    def command(self, words: str, offered: str = "") -> None:
        """Find or do something by the command bar, once it offers that first."""
        self.chord(Keys.CONTROL, "k")
        self.until(
            "the command bar is open",
            lambda: self.driver.switch_to.active_element.get_attribute("role") == "combobox",
        )
        self.key(words)
        self.until(
            f"the command bar offers {words!r} first",
            lambda: self.first_offered().startswith(offered or words),
        )
        self.key(Keys.ENTER)

    def sign_in(self, name: str) -> None:
        self.open("/")
        self.press(name)
        self.until("should be signed in", lambda: "Sign in as" not in self.text())

    def violations(self) -> list[str]:
        """Serious and critical findings of axe on this screen, as it stands at its top.

        What lies below the fixed bar while it is scrolled, or fades in or out, is no finding.
        """
        self.driver.execute_script("window.scrollTo(0, 0)")
        self.until(
            "messages that fade to be there or gone",
            lambda: self.driver.execute_script(
                "return [...document.querySelectorAll('[data-sonner-toast]')]"
                ".every((one) => one.getAnimations({subtree: true}).length === 0"
                " && Number(getComputedStyle(one).opacity) % 1 === 0)"
            ),
        )
        self.driver.execute_script(AXE.read_text(encoding="utf-8"))
        found = self.driver.execute_async_script(
            "const done = arguments[arguments.length - 1];"
            "axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']}).then(done)"
        )
        return [
            f"{v['id']}: {v['help']}: {[n['html'][:160] for n in v['nodes'][:3]]}"
            for v in found["violations"]
            if v["impact"] in ("serious", "critical")
        ]

    def complaints(self) -> list[str]:
        """What the browser console complains about, refusals by the policy included."""
        return [
            entry["message"]
            for entry in self.driver.get_log("browser")
            if entry["level"] == "SEVERE"
            # Refusals that the interface shows in words are no complaints.
            and not re.search(r"status of 4(01|04|09|22) ", entry["message"])
        ]

    def close(self) -> None:
        self.driver.quit()
