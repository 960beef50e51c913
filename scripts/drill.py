"""The drill: a real server under kills, a full disk, a lost queue, attack files and eight people; prints what was lost.

`python scripts/drill.py [KILLS]` (100) needs root for the full disk (a small file system in memory) and about ten
minutes. It builds its own data in a folder of its own and sends to 127.0.0.1 alone.
"""

import http.client
import itertools
import json
import os
import random
import re
import shutil
import signal
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import urllib.parse
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.attack import FOOTAGE, LOOKS, TABLES

KILLS = int(sys.argv[1]) if len(sys.argv) > 1 else 100
PEOPLE = 8
PASSWORD = "gather-and-blow"
SEED = """
import numpy as np
from django.conf import settings
from django.contrib.auth.models import User
from upwelling.core.media import write_still
from upwelling.core.simulate.camera import A_CAM
from upwelling.web.footage.shots import bring_in
from upwelling.web.productions.models import Member
from upwelling.web.productions.services import create_production
people = [User.objects.create_user(f"person{n}", password="gather-and-blow") for n in range(8)]
production = create_production(people[0], "Kilnlight")
for person in people[1:]:
    Member.objects.create(production=production, user=person, role="technician")
settings.FILES.mkdir(parents=True, exist_ok=True)
x = np.linspace(-6, 7.5, SIZE)[None, :, None]
for n in range(8):
    place = settings.FILES / f"s{n}.dpx"
    write_still(place, A_CAM.shoot(0.18 * np.exp2(x) * np.ones((SIZE * 9 // 16, 1, 3)), seed=n), "10")
    bring_in(production, people[n], f"S{n}.dpx", place, encoding_name="S-Log3/S-Gamut3.Cine")
    place.unlink(missing_ok=True)
"""


class Server:
    """The application on a folder, as a process that is killed and begun again."""

    def __init__(self, data, port, size=480):
        self.data, self.port, self.process = Path(data), port, None
        self.environment = {**os.environ, "UPWELLING_DATA": str(data), "UPWELLING_RESERVE_MB": "1"}
        self.manage("migrate", "-v0")
        self.manage("shell", "-v0", "-c", f"SIZE={size}" + SEED)

    def manage(self, *words):
        subprocess.run([sys.executable, "-m", "upwelling.web.manage", *words], env=self.environment, check=True)

    def start(self):
        log = (self.data.parent / f"{self.data.name}.log").open("a")
        self.process = subprocess.Popen(
            [sys.executable, "-m", "upwelling.web.manage", "serve", "--port", str(self.port)],
            env=self.environment,
            stdout=log,
            stderr=log,
        )
        until(lambda: Person(self, 0).ask("GET", "/sign-in/")[0] == 200, 60)

    def processes(self):
        """Web server, worker and hand, by what they were begun as."""
        listed = subprocess.run(["ps", "-eo", "pid,args"], capture_output=True, text=True, check=True).stdout
        found = {}
        for line in listed.splitlines():
            match = re.match(r"\s*(\d+) .*upwelling\.web\.manage (serve|work|hand)", line)
            if match and self._is_ours(match[1]):
                found.setdefault(match[2], []).append(int(match[1]))
        return found

    def _is_ours(self, pid):
        try:
            return f"UPWELLING_DATA={self.data}\0" in Path(f"/proc/{pid}/environ").read_text(errors="replace")
        except OSError:
            return False

    def ask(self, question, *values):
        with sqlite3.connect(self.data / "upwelling.sqlite3", timeout=30) as database:
            return database.execute(question, values).fetchall()

    def stop(self):
        self.process.terminate()
        self.process.wait(timeout=30)

    def peak(self, pid):
        """The most memory a process has had, in MB."""
        return int(re.search(r"VmHWM:\s+(\d+)", Path(f"/proc/{pid}/status").read_text())[1]) / 1024


class Person:
    """Somebody with a browser: cookies, tokens, JSON."""

    def __init__(self, server, number):
        self.server, self.name, self.cookies = server, f"person{number}", {}

    def ask(self, method, address, body=b"", kind="application/x-www-form-urlencoded", timeout=60):
        """Status and body; 0 where the server is not there."""
        headers = {
            "Cookie": "; ".join(f"{k}={v}" for k, v in self.cookies.items()),
            "Content-Type": kind,
            "X-CSRFToken": self.cookies.get("csrftoken", ""),
            "Accept": "application/json",
        }
        try:
            connection = http.client.HTTPConnection("127.0.0.1", self.server.port, timeout=timeout)
            connection.request(method, address, body, headers)
            answer = connection.getresponse()
            data = answer.read()
        except (OSError, http.client.HTTPException):
            return 0, b""
        for header in answer.headers.get_all("Set-Cookie") or []:
            key, _, value = header.split(";")[0].partition("=")
            self.cookies[key] = value
        return answer.status, data

    def sign_in(self):
        self.ask("GET", "/sign-in/")
        body = urllib.parse.urlencode({"username": self.name, "password": PASSWORD})
        return self.ask("POST", "/sign-in/", body.encode())[0] == 302

    def send(self, address, body):
        status, data = self.ask("POST", address, json.dumps(body).encode(), "application/json")
        return status, json.loads(data) if data[:1] == b"{" else {}

    def upload(self, file_name, data, address="/p/kilnlight/intake/upload/", **fields):
        parts = "".join(f'--x\r\nContent-Disposition: form-data; name="{k}"\r\n\r\n{v}\r\n' for k, v in fields.items())
        head = f'{parts}--x\r\nContent-Disposition: form-data; name="file"; filename="{file_name}"\r\n\r\n'
        return self.ask(
            "POST", address, head.encode() + data + b"\r\n--x--\r\n", "multipart/form-data; boundary=x", 180
        )


def until(true, seconds, every=0.2):
    limit = time.monotonic() + seconds
    while time.monotonic() < limit:
        if found := true():
            return found
        time.sleep(every)
    raise SystemExit(f"gave up waiting after {seconds} s")


def a_still(number):
    """A small PNG of its own content."""
    import imagecodecs
    import numpy as np

    rng = np.random.default_rng(number)
    return bytes(imagecodecs.png_encode(rng.integers(0, 65535, (24, 32, 3), dtype=np.uint16)))


def one_at_work(server, number, stop, kept, numbers):
    """Saves and hands files in without rest; remembers what was acknowledged."""
    me = Person(server, number)
    shot, version, stops = number + 1, None, itertools.count(1)
    while not stop.is_set():
        if "sessionid" not in me.cookies and not me.sign_in():
            time.sleep(0.2)
            continue
        value = next(stops) / 1000
        settings = {"steps": [{"kind": "exposure", "id": "exposure", "stops": value}]}
        if version is None:
            found = server.ask("SELECT version FROM footage_shot WHERE id = ?", shot)
            version = found[0][0]
        status, said = me.send(
            f"/p/kilnlight/bench/{shot}/save/", {"settings": settings, "version": version, "label": "d"}
        )
        if status == 200:
            version = said["history"]["version"]
            kept["saves"].append((shot, value))
        else:
            version = None
            time.sleep(0.1)
        if random.random() < 0.3:
            content = next(numbers)
            status, data = me.upload(f"F{content}.png", a_still(content))
            if status == 202:
                kept["files"].append(json.loads(data)["arrival"])


def kills(server):
    """Kills one of the three processes again and again while eight people save and hand in."""
    kept, stop = {"saves": [], "files": []}, threading.Event()
    numbers = itertools.count(1)
    threads = [threading.Thread(target=one_at_work, args=(server, n, stop, kept, numbers)) for n in range(PEOPLE)]
    [thread.start() for thread in threads]
    victims, two = {"serve": 0, "work": 0, "hand": 0}, 0
    for _ in range(KILLS):
        time.sleep(random.uniform(0.5, 4.5))
        found = until(server.processes, 30)
        two += len(found.get("hand", [])) > 1
        what = random.choice([name for name in victims if found.get(name)])
        os.kill(found[what][0], signal.SIGKILL)
        victims[what] += 1
        if what == "serve":
            server.process.wait()
            server.start()
    stop.set()
    [thread.join() for thread in threads]
    until(lambda: not server.ask("SELECT 1 FROM footage_arrival WHERE state IN ('waiting', 'probing')"), 300)
    saved = {
        (shot, round(json.loads(body)["steps"][0]["stops"], 3))
        for shot, body in server.ask("SELECT shot_id, settings FROM footage_shotstate WHERE label = 'd'")
    }
    lost = [one for one in kept["saves"] if one not in saved]
    arrivals = dict(server.ask("SELECT id, state FROM footage_arrival"))
    gone = [number for number in kept["files"] if arrivals.get(number) not in ("done", "here")]
    print(
        f"{KILLS} kills ({victims}): {len(kept['saves'])} saves acknowledged, {len(lost)} lost; "
        f"{len(kept['files'])} files acknowledged, {len(gone)} lost or stuck ({[arrivals.get(n) for n in gone][:5]}); "
        f"two hands at once: {two}; database {server.ask('PRAGMA integrity_check')[0][0]}",
        flush=True,
    )


def lost_queue(server):
    """What waits is forgotten: every task goes while the worker is stopped, and a minute later all is done."""
    me = Person(server, 0)
    me.sign_in()
    worker = server.processes()["work"][0]
    os.kill(worker, signal.SIGSTOP)
    taken = sum(me.upload(f"Q{n}.png", a_still(10**6 + n))[0] == 202 for n in range(40))
    server.ask("DELETE FROM jobs_task")
    os.kill(worker, signal.SIGCONT)
    begun = time.monotonic()
    until(lambda: not server.ask("SELECT 1 FROM footage_arrival WHERE state IN ('waiting', 'probing')"), 180)
    print(f"lost queue: {taken} files waited, all looked at {time.monotonic() - begun:.0f} s later", flush=True)


def attack(server):
    """Every file of the attack folder, handed in over HTTP."""
    me = Person(server, 0)
    me.sign_in()
    server.ask("DELETE FROM footage_arrival")
    web = server.processes()["serve"][0]
    workers = server.processes()["work"]  # one of each lane
    sent = [me.upload(name, make())[0] for name, make in FOOTAGE.items()]
    tables = [me.upload(name, make(), "/p/kilnlight/luts/bring-in/")[0] for name, make in TABLES.items()]
    looks = [
        me.upload(name, make(), "/p/kilnlight/looks/new/", **{"from": "file", "name": "x"})[0]
        for name, make in LOOKS.items()
    ]
    until(lambda: not server.ask("SELECT 1 FROM footage_arrival WHERE state IN ('waiting', 'probing')"), 600)
    states = [state for (state,) in server.ask("SELECT state FROM footage_arrival")]
    now = server.processes()
    alive = (now.get("serve"), now.get("work")) == ([web], workers)
    if not alive:
        print(f"attack: web server {web}, workers {workers}; now {now}", flush=True)
    print(
        f"attack: {len(sent)} footage files ({sorted(set(sent))}; "
        f"{states.count('failed')} refused, {states.count('done')} read), "
        f"{len(tables)} tables ({sorted(set(tables))}), {len(looks)} Looks ({sorted(set(looks))}); "
        f"server and worker live on: {alive}; the server's peak {server.peak(web):.0f} MB",
        flush=True,
    )


def eight_people(server, seconds=60):
    """Previews, saves and pages of eight people, two of whom try every grid."""
    times, stop, failed = {}, threading.Event(), []

    def work(number):
        me = Person(server, number)
        me.sign_in()
        shot, turn = number + 1, 0
        while not stop.is_set():
            turn += 1
            stops = {"steps": [{"kind": "exposure", "id": "exposure", "stops": turn % 40 / 20}]}
            for name, address, body in (
                (
                    "preview",
                    f"/p/kilnlight/bench/{shot}/preview/",
                    {"settings": stops, "number": turn, "page": me.name},
                ),
                ("page", ["/p/kilnlight/", "/p/kilnlight/intake/", f"/p/kilnlight/bench/{shot}/"][turn % 3], None),
            ):
                begun = time.monotonic()
                status = me.send(address, body)[0] if body else me.ask("GET", address)[0]
                times.setdefault(name, []).append(time.monotonic() - begun)
                if status not in (200, 204):
                    failed.append((name, status))

    def grids(number):
        me = Person(server, number)
        me.sign_in()
        while not stop.is_set():
            me.ask("POST", f"/p/kilnlight/bakes/of/{number + 1}/smallest/", b"{}", "application/json", 300)
            time.sleep(0.5)

    threads = [threading.Thread(target=work, args=(n,)) for n in range(PEOPLE)]
    threads += [threading.Thread(target=grids, args=(n,), daemon=True) for n in range(6)]
    [thread.start() for thread in threads]
    time.sleep(seconds)
    stop.set()
    [thread.join() for thread in threads[:PEOPLE]]
    for name, taken in times.items():
        cuts = statistics.quantiles(taken, n=20)
        print(
            f"eight people, {name}: {len(taken)} answers, median {1000 * statistics.median(taken):.0f} ms, "
            f"95 % {1000 * cuts[18]:.0f} ms, worst {max(taken):.1f} s",
            flush=True,
        )
    print(f"eight people: {len(failed)} failed {failed[:4]}", flush=True)


def full_disk(port):
    """A server on a file system of 48 MB that is filled to the last byte, and then given room again."""
    place = Path(tempfile.mkdtemp(prefix="upwelling-small-"))
    if subprocess.run(["mount", "-t", "tmpfs", "-o", "size=48m", "none", str(place)], check=False).returncode:
        print("full disk: not tried, this account may not mount", flush=True)
        return
    server = Server(place / "data", port, 96)
    try:
        server.start()
        me = Person(server, 0)
        me.sign_in()
        version = server.ask("SELECT version FROM footage_shot WHERE id = 1")[0][0]
        settings = {"steps": [{"kind": "exposure", "id": "exposure", "stops": 0.25}]}
        save = {"settings": settings, "version": version, "label": "d"}
        assert me.send("/p/kilnlight/bench/1/save/", save)[0] == 200
        with (place / "filler").open("wb", 0) as filler:
            try:
                while True:
                    filler.write(bytes(4096))
            except OSError:
                pass
        other = Person(server, 1)
        said = {
            "sign-in": other.ask("GET", "/sign-in/")[0]
            and other.ask(
                "POST", "/sign-in/", urllib.parse.urlencode({"username": "person1", "password": PASSWORD}).encode()
            ),
            "save": me.ask(
                "POST",
                "/p/kilnlight/bench/1/save/",
                json.dumps({**save, "version": version + 1}).encode(),
                "application/json",
            ),
            "Mark": me.ask(
                "POST",
                "/p/kilnlight/bench/1/marks/change/",
                json.dumps({"settings": settings, "mark": "x"}).encode(),
                "application/json",
            ),
            "upload": me.upload("big.png", a_still(1) + bytes(300_000)),
            "bake": me.ask("POST", "/p/kilnlight/bakes/of/1/start/", b"size=33"),
            "thumbnail": me.ask("GET", "/p/kilnlight/shots/3/thumbnail/"),
        }
        for what, (status, data) in said.items():
            sentence = json.loads(data).get("error", "") if data[:1] == b"{" else data[:60]
            print(f"full disk, {what}: {status} {sentence!s:.90}", flush=True)
        (place / "filler").unlink()
        status = me.send("/p/kilnlight/bench/1/save/", {**save, "version": version + 1})[0]
        taken = me.upload("small.png", a_still(2))[0]
        until(lambda: not server.ask("SELECT 1 FROM footage_arrival WHERE state IN ('waiting', 'probing')"), 120)
        last = json.loads(
            server.ask("SELECT settings FROM footage_shotstate WHERE shot_id = 1 ORDER BY position DESC")[0][0]
        )
        kept = last["steps"][0]["stops"] == 0.25
        print(
            f"full disk, room again: save {status}, upload {taken}, the acknowledged save kept: {kept}, "
            f"database {server.ask('PRAGMA integrity_check')[0][0]}",
            flush=True,
        )
        server.stop()
    finally:
        if server.process and server.process.poll() is None:
            server.process.kill()
        time.sleep(2)
        subprocess.run(["umount", "-l", str(place)], check=False)
        shutil.rmtree(place, ignore_errors=True)


def main():
    folder = Path(tempfile.mkdtemp(prefix="upwelling-drill-"))
    full_disk(8765)
    server = Server(folder / "data", 8766)
    server.start()
    kills(server)
    lost_queue(server)
    attack(server)
    eight_people(server)
    server.stop()
    time.sleep(2)
    left = server.processes()
    print(f"stopped: {left or 'nothing lives on'}")
    shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
