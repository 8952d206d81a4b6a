"""The commands behind ./run."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import socket
import subprocess
import sys
import urllib.request
from dataclasses import replace
from pathlib import Path

import pytest

from tarvik.cli import parser, read
from tarvik.commands.bench import Figure, bench_areas, bench_fold, grid_measures
from tarvik.commands.pace import paced
from tarvik.core.measure.roof import Roof
from tarvik.core.pitches import PITCHES
from tarvik.core.sheet import Sheet
from tarvik.core.shelter import fold_sheet
from tarvik.store.server import Server, ServerError, default_folder, free_port
from tests.patience import PATIENCE_S, comes_true

ROOT = Path(__file__).parents[1]


def test_the_commands_there_are() -> None:
    assert parser().parse_args(["demo"]).port == 8080
    assert parser().parse_args(["serve", "--port", "9000"]).port == 9000
    assert parser().parse_args(["bench", "--json", "x.json"]).json == Path("x.json")
    assert read(["test", "-k", "mats"]).rest == ["-k", "mats"]
    for wrong in (["demo", "--port", "99999"], ["demo", "--port", "x"], ["fly"], []):
        with pytest.raises(SystemExit):
            parser().parse_args(wrong)


def test_figures_as_the_contract_writes_them() -> None:
    faster = Figure("a", 2.0, "ms", "lower", 5.0, baseline=20.0).as_json()
    assert faster == {
        "value": 2.0,
        "unit": "ms",
        "better": "lower",
        "target": 5.0,
        "ok": True,
        "baseline": 20.0,
        "ratio": 10.0,
    }
    assert Figure("b", 2.0, "x", "higher", 5.0).as_json()["ok"] is False


def test_the_benchmarks_compare_equal_answers() -> None:
    """The fold benchmark refuses to compare solvers of unequal exactness; both references give what
    ours gives.
    """
    fold = bench_fold(50, 5)
    assert fold.baseline is not None
    assert bench_areas().baseline is not None
    roof = Roof.over(
        fold_sheet(PITCHES["plow-point"], Sheet.rectangle(3, 3), {"height": 1.4}).faces()
    )
    covered, sit, stand = grid_measures(roof, 0.96, 1.8)
    assert covered == pytest.approx(roof.plan().area, rel=0.01)
    assert sit == pytest.approx(roof.area_above(0.96), rel=0.05)
    assert stand == 0


def test_where_the_data_lies(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("TARVIK_DATA", str(tmp_path))
    assert default_folder(ROOT) == tmp_path
    monkeypatch.delenv("TARVIK_DATA")
    folder = default_folder(ROOT)
    assert (
        folder.is_relative_to("/var/lib/tarvik")
        if os.geteuid() == 0
        else folder == ROOT / ".data"
    )
    assert 1024 < free_port() < 65536


@pytest.mark.database
def test_a_second_server_on_the_same_folder_shares_the_first(server: Server) -> None:
    """It borrows the running one, and leaves it running when it stops."""
    second = Server(server.folder).start()
    assert second.borrowed
    assert second.port == server.port
    second.stop()
    server.connect().close()


def test_a_folder_that_is_no_database_is_told(tmp_path: Path) -> None:
    base = Path("/var/tmp") if os.geteuid() == 0 else tmp_path  # noqa: S108
    folder = base / f"tarvik-broken-{os.getpid()}"
    (folder / "postgres").mkdir(parents=True)
    (folder / "postgres" / "PG_VERSION").write_text("1\n")
    (folder / "password").write_text("x")
    try:
        with pytest.raises(ServerError, match="did not start"):
            Server(folder).start()
    finally:
        subprocess.run(["rm", "-rf", str(folder)], check=False)


def _start(
    port: int, folder: Path, command: str = "demo", **more: str
) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-m", "tarvik", command, "--port", str(port)],
        cwd=ROOT,
        stdout=subprocess.PIPE,
        text=True,
        env={**os.environ, "TARVIK_DATA": str(folder), **more},
    )


@pytest.mark.database
def test_a_server_of_two_processes_asks_for_its_first_owner_and_is_backed_up(
    tmp_path: Path,
) -> None:
    """No default account; the printed link works; SIGTERM ends all of it; what was kept comes back
    into another server.
    """
    base = Path("/var/tmp") if os.geteuid() == 0 else tmp_path  # noqa: S108
    folder, other = (base / f"tarvik-serve-{os.getpid()}-{n}" for n in "ab")
    out, port = tmp_path / "all.zip", free_port()
    program = _start(port, folder, "serve", TARVIK_WORKERS="2")
    try:
        assert program.stdout is not None
        said = ""
        while "/setup/" not in said:
            line = program.stdout.readline()
            assert line, said
            said += line
        link = said.split("once, within a day: ")[1].split()[0]
        _wait(f"http://127.0.0.1:{port}/readyz")
        opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())
        form = b"provider=Club&name=Ada&email=ada%40club.example&password=tall+grass+under+rain"
        with opener.open(
            urllib.request.Request(link, form, {"Origin": f"http://127.0.0.1:{port}"}),
            timeout=PATIENCE_S,
        ) as answer:
            assert b"New course" in answer.read()
        program.send_signal(signal.SIGTERM)
        assert program.wait(timeout=PATIENCE_S) == 0
        for command, data in (("backup", folder), ("restore", other)):
            done = subprocess.run(
                [sys.executable, "-m", "tarvik", command, str(out)],
                cwd=ROOT,
                capture_output=True,
                text=True,
                check=False,
                env={**os.environ, "TARVIK_DATA": str(data)},
            )
            assert done.returncode == 0, done.stdout + done.stderr
        assert (
            out.exists()
            and "read back" not in done.stdout
            and "brought back" in done.stdout
        )
    finally:
        program.kill()
        subprocess.run(["rm", "-rf", str(folder), str(other)], check=False)


def _ask(url: str, body: dict[str, object] | None = None) -> bytes:
    data = None if body is None else json.dumps(body).encode()
    headers = {"content-type": "application/json"} if data else {}
    with urllib.request.urlopen(
        urllib.request.Request(url, data, headers), timeout=PATIENCE_S
    ) as answer:
        return bytes(answer.read())


@pytest.mark.database
def test_the_demo_says_where_it_is_keeps_its_data_and_survives_a_killed_database() -> None:
    """Two starts on one folder; in the first PostgreSQL is killed under it and comes back."""
    folder = (
        Path(f"/var/tmp/tarvik-demo-{os.getpid()}")  # noqa: S108
        if os.geteuid() == 0
        else ROOT / ".data" / f"demo-{os.getpid()}"
    )
    port = free_port()
    try:
        for turn in range(2):
            program = _start(port, folder)
            assert program.stdout is not None
            said = ""
            while "open http" not in said:
                line = program.stdout.readline()
                assert line, said
                said += line
            assert f"http://127.0.0.1:{port}/" in said
            assert ("demo course made" in said) == (turn == 0)
            _wait(f"http://127.0.0.1:{port}/healthz")
            assert b"Open as the demo leader" in _ask(f"http://127.0.0.1:{port}/")
            assert b"Hollin Edge Field School" in _as_demo_leader(
                f"http://127.0.0.1:{port}"
            )
            solved = json.loads(
                _ask(
                    f"http://127.0.0.1:{port}/api/solve",
                    {"sheet": {"width_m": 3, "length_m": 3}, "pitch": "plow-point"},
                )
            )
            assert solved["verdict"] == "forms"
            if turn == 0:
                _kill_the_database_in(folder)
                _wait(f"http://127.0.0.1:{port}/readyz")
            program.send_signal(signal.SIGINT)
            assert program.wait(timeout=PATIENCE_S) == 0
            assert "PostgreSQL stopped" in program.stdout.read()
            program.stdout.close()
            assert not (folder / "postgres" / "postmaster.pid").exists()
    finally:
        subprocess.run(["rm", "-rf", str(folder)], check=False)


def _as_demo_leader(address: str) -> bytes:
    """The start page after the one click."""
    opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())
    with opener.open(
        urllib.request.Request(f"{address}/demo", b"", {"Origin": address}),
        timeout=PATIENCE_S,
    ) as answer:
        return bytes(answer.read())


def _kill_the_database_in(folder: Path) -> None:
    """Without warning; and wait until another one is started in its place."""
    lock = folder / "postgres" / "postmaster.pid"
    killed = _first_line(lock)
    os.kill(int(killed), signal.SIGKILL)
    assert comes_true(lambda: _first_line(lock) not in ("", killed))


def _first_line(file: Path) -> str:
    """The file's first line; empty while there is none."""
    with contextlib.suppress(OSError):
        return file.read_text().partition("\n")[0]
    return ""


def _wait(url: str) -> None:
    def answers() -> bool:
        try:
            _ask(url)
        except OSError:
            return False
        return True

    assert comes_true(answers), url


def _family(pid: int) -> set[int]:
    """A process and all that it started, and those started."""
    parents: dict[int, list[int]] = {}
    for status in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            told = status.read_text().rpartition(")")[2].split()
            parents.setdefault(int(told[1]), []).append(int(status.parent.name))
    found, ask = set[int](), [pid]
    while ask:
        one = ask.pop()
        found.add(one)
        ask += parents.get(one, [])
    return found


def _runs(pid: int) -> bool:
    """Whether a process is there and no mere entry of one that ended."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except OSError:
        return False


@pytest.mark.database
def test_a_second_start_says_so_and_a_killed_parent_leaves_nobody(tmp_path: Path) -> None:
    """With two web processes: the second start in the folder leaves at once, and kill -9 of the
    first ends every process it started.
    """
    base = Path("/var/tmp") if os.geteuid() == 0 else tmp_path  # noqa: S108
    folder, port = base / f"tarvik-alone-{os.getpid()}", free_port()
    program = _start(port, folder, "serve", TARVIK_WORKERS="2")
    try:
        _wait(f"http://127.0.0.1:{port}/readyz")
        second = _start(free_port(), folder, "demo")
        assert second.wait(timeout=PATIENCE_S) == 1
        assert second.stdout is not None
        assert f"is running from this checkout already, at http://127.0.0.1:{port}/" in (
            second.stdout.read()
        )
        assert comes_true(lambda: len(_family(program.pid)) > 5)
        family = _family(program.pid)
        program.kill()
        program.wait()
        assert comes_true(lambda: not any(_runs(pid) for pid in family))
    finally:
        program.kill()
        subprocess.run(["rm", "-rf", str(folder)], check=False)


def test_a_taken_port_is_told_kindly() -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        done = subprocess.run(
            [sys.executable, "-m", "tarvik", "demo", "--port", str(port)],
            cwd=ROOT,
            capture_output=True,
            text=True,
            check=False,
        )
    assert done.returncode == 1
    assert f"port {port} is taken" in done.stdout
    assert "Traceback" not in done.stderr


def test_a_time_is_judged_at_the_usual_pace_and_a_count_is_not() -> None:
    """On a machine twice as slow as usual a time of 8 ms is one of 4 ms."""
    slow = replace(Figure("a", 8.0, "ms", "lower", 5.0), slower=2.0).as_json()
    assert slow["ok"] is True
    assert (slow["machine_slower"], slow["at_usual_pace"]) == (2.0, 4.0)
    figures = paced(
        lambda: [Figure("t", 1.0, "s", "lower", 1.0), Figure("n", 9.0, "MB", "lower", 9)]
    )
    assert figures[0].slower > 0
    assert figures[1].slower == 1.0
