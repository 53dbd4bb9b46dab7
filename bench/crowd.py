"""Many benches at once on the demo: how late poses are answered, beside an echo of the same size."""

from __future__ import annotations

import asyncio
import http.cookiejar
import json
import os
import re
import subprocess
import sys
import tempfile
import threading
import time
import urllib.parse
import urllib.request
from dataclasses import dataclass, field
from pathlib import Path
from statistics import median, quantiles

from bench.studio import ECHO, demo, serving
from bench.timing import Row
from studio.launch.mariadb import free_port

BENCHES, RATE, SECONDS = 50, 20, 8.0
SPIN = "while True: pass"


@dataclass
class Crowd:
    """Benches that each send so many poses a second, whether they are answered or not, and what came of it."""

    url: str
    headers: dict[str, str]
    bones: list[str]
    revision: int
    late: list[float] = field(default_factory=list)  # s from sending a pose to its answer
    open: int = 0
    sent: int = 0

    async def run(self, number: int) -> None:
        from websockets.asyncio.client import connect

        waiting: dict[int, float] = {}
        async with connect(
            self.url, additional_headers=self.headers, compression=None, max_size=None, open_timeout=60
        ) as socket:
            await socket.send(self.pose(0, number))
            await socket.recv()
            self.open += 1
            while self.open < BENCHES:
                await asyncio.sleep(0.02)

            async def hear() -> None:
                while True:
                    data = await socket.recv()
                    if isinstance(data, bytes) and (start := waiting.pop(int.from_bytes(data[:4], "little"), None)):
                        self.late.append(time.perf_counter() - start)

            hearing = asyncio.create_task(hear())
            await asyncio.sleep(number / (RATE * BENCHES))
            begun = time.perf_counter()
            for serial in range(1, round(SECONDS * RATE) + 1):
                waiting[serial] = time.perf_counter()
                self.sent += 1
                await socket.send(self.pose(serial, number))
                await asyncio.sleep(max(0.0, begun + serial / RATE - time.perf_counter()))
            await asyncio.sleep(1.0)
            hearing.cancel()

    def pose(self, serial: int, number: int) -> str:
        """Four bones turned anew, each bench others: no fifty people turn the same one at the same moment."""
        first = serial + 7 * number
        turned = {
            f"{self.bones[(first + k) % len(self.bones)]}.turn": (serial * 7 + number) % 60 - 30 for k in range(4)
        }
        return json.dumps({"serial": serial, "seen": self.revision, "pose": turned})

    def go(self) -> tuple[float, float]:
        """The share of poses that were answered, and within how many s 95 of 100 of those were."""

        async def everyone() -> None:
            await asyncio.gather(*(self.run(number) for number in range(BENCHES)))

        asyncio.run(everyone())
        return len(self.late) / max(self.sent, 1), quantiles(self.late, n=20)[-1]


class Visitor:
    """Somebody signed in, without a browser."""

    def __init__(self, url: str) -> None:
        from tests.browser.hand import NAME, PASSWORD

        self.url, self.jar = url, http.cookiejar.CookieJar()
        self.door = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))
        page = self.door.open(url)
        token = re.search(r'name="csrfmiddlewaretoken" value="([^"]+)"', page.read().decode())
        asked = {"username": NAME, "password": PASSWORD, "csrfmiddlewaretoken": token.group(1) if token else ""}
        body = urllib.parse.urlencode({**asked, "next": "/"}).encode()
        self.door.open(urllib.request.Request(page.geturl(), body, {"Referer": page.geturl()}))

    @property
    def cookie(self) -> str:
        return "; ".join(f"{one.name}={one.value}" for one in self.jar)

    def read(self, path: str) -> bytes:
        return bytes(self.door.open(self.url + path).read())


def _ticks(pid: int) -> float:
    """CPU seconds a process has used."""
    told = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(told[11]) + int(told[12])) / os.sysconf("SC_CLK_TCK")


def _memory(pid: int) -> float:
    """MB a process holds."""
    return int(re.search(r"VmRSS:\s+(\d+)", Path(f"/proc/{pid}/status").read_text()).group(1)) / 1024  # type: ignore[union-attr]


def _web(launcher: int) -> int:
    """The web server that serves, among the children of a launcher: the one that has worked most."""
    listed = subprocess.run(
        ["ps", "--ppid", str(launcher), "-o", "pid=,args="], capture_output=True, text=True, check=True
    )
    found = [int(line.split()[0]) for line in listed.stdout.splitlines() if "studio.launch.web" in line]
    return max(found, key=_ticks)


def crowd() -> list[Row]:
    with tempfile.TemporaryDirectory() as folder:
        process = demo(Path(folder) / "studio", port := free_port())
        spinning: list[subprocess.Popen[bytes]] = []
        try:
            visitor = Visitor(f"http://127.0.0.1:{port}")
            state = json.loads(visitor.read("/bench/1/state/"))
            bones, revision = [one["id"] for one in state["figure"]["bones"]], state["revision"]
            headers = {"Cookie": visitor.cookie, "Origin": visitor.url}

            def benches() -> Crowd:
                return Crowd(f"ws://127.0.0.1:{port}/live/1/", headers, bones, revision)

            benches().go()  # warm
            web = _web(process.pid)
            held, used = _memory(web), _ticks(web)
            quiet = benches()
            answered, late = quiet.go()
            each = (_ticks(web) - used) / max(len(quiet.late), 1)
            room = (_memory(web) - held) / BENCHES
            floor = _echo(folder, state)
            spinning = [subprocess.Popen([sys.executable, "-c", SPIN]) for _ in range(os.cpu_count() or 2)]
            pages: list[float] = []
            done = threading.Event()

            def browse() -> None:
                while not done.wait(0.5):
                    start = time.perf_counter()
                    visitor.read("/figures/")
                    pages.append(time.perf_counter() - start)

            browsing = threading.Thread(target=browse)
            browsing.start()
            busy = benches().go()[1]
            done.set()
            browsing.join()
        finally:
            for item in spinning:
                item.kill()
                item.wait()
            process.terminate()
            process.wait(40)
    what = f"{BENCHES} benches on the demo, {RATE} poses a second each"
    return [
        Row(f"{what}: answered", f"{100 * answered:.1f} %", "", "100 %", answered > 0.999),
        Row("… 95 of 100 within, quiet", f"{late * 1e3:.1f} ms", f"{floor * 1e3:.1f} ms echo", "≤ 10 ms", late <= 0.01),
        Row("… both cores busy", f"{busy * 1e3:.1f} ms", "", "≤ 50 ms", busy <= 0.05),
        Row("… CPU a message", f"{each * 1e3:.2f} ms", "", "≤ 0.5 ms", each <= 0.0005),
        Row("… pages meanwhile", f"{median(pages) * 1e3:.0f} ms", "", "≤ 300 ms", median(pages) <= 0.3),
        Row("… memory a bench", f"{room:.1f} MB", "", "≤ 40 MB", room <= 40),
    ]


def _echo(folder: str, state: dict[str, object]) -> float:
    """Within how many s 95 of 100 messages of the same size come back from a server that only sends them."""
    blocks = state["blocks"]
    assert isinstance(blocks, dict)
    size = 8 * sum(count for _, count in blocks.values()) + 2_000
    numbered = '"bytes": __import__("json").loads(message["text"])["serial"].to_bytes(4, "little") + body[4:]'
    with serving(Path(folder), ECHO.format(size=size).replace('"bytes": body', numbered)) as port:
        return Crowd(f"ws://127.0.0.1:{port}/", {}, ["b1", "b2", "b3", "b4"], 1).go()[1]
