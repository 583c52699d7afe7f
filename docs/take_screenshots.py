"""Takes the pictures in docs/screenshots from the demo, in a terminal window under Xvfb.

Needs Debian's xvfb, xterm, xdotool and imagemagick, and the program on the path:
python docs/take_screenshots.py [NAME…]
"""

import json
import os
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

FOLDER = Path(__file__).with_name("screenshots")
WHO = r"LOWMERE\Domain Admins"
_TERMINAL = ["xterm", "-fa", "DejaVu Sans Mono", "-fs", "10", "-geometry", "155x46+0+0", "-b", "10"]
_TERMINAL += ["-bg", "#14181f", "-fg", "#d8dee9", "-e", "bash"]
SHOTS = {
    "who": [["who", WHO], ["why", "orla.fenn", WHO]],
    "who-host": [["who", "--on", "KIOSK-07"], ["who", "--hosts", "--at-least", "3"]],
    "check": [
        ["check", "--severity", "high", "--limit", "8"],
        ["check", "--where", "rule=kiosk", "--columns", "severity,subject,message"],
    ],
    "propose": [["propose"]],
    "show": [["show", "KIOSK-15"]],
    "status": [[], ["help"]],
    "cleaning": [
        ["collect", "--shares"],
        ["stale"],
        ["stale", "groups", "--with-uses"],
        ["uses", "Ledger Archive"],
        ["may", "mira.holt", "change", r"\\HARBOUR-04\Crew\Letters"],
        ["uses", "--orphans"],
    ],
    "reach": [["reach", WHO, "--over-hosts"]],
    "grants": [["grant", "list"], ["may", "hedda.morrow", "password-help", "cato.lune"]],
    "doors": [["doors"], ["doors", "KIOSK-07"]],
    "hosts": [
        ["hosts", "list", "--trouble"],
        ["hosts", "test", "KIOSK-22"],
        ["hosts", "standin", "logon", "QUAY-01", "orla.fenn", "--by", "console"],
        ["charter", "where", "closed-until-moved"],
        ["charter", "effect", "QUAY-01", "--if-moved-to", "OU=Ticket Kiosks,OU=Hosts"],
    ],
    "history": [
        ["trail", "import", "trail.jsonl"],
        ["history", WHO],
        ["history", "--person", "roan.pell"],
        ["trail", "support"],
    ],
    "time": [
        [
            "lease",
            "start",
            "roan.pell",
            r"LOWMERE\Chart Editors",
            "--for",
            "2h",
            "--why",
            "charts for the storm",
            "--yes",
        ],
        ["lease", "list"],
        [
            *("shift", "start", "nils.fenn", "administrators", "--on", "KIOSK-07", "--from", "08:00", "--to", "18:00"),
            *("--rule", "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR", "--zone", "Europe/London"),
        ],
        ["shift", "list"],
    ],
    "questions": [
        ["round"],
        ["questions"],
        ["questions", "answer", "Q1", "--leave-until", "2w", "--why", "the drill goes on until then"],
        ["questions", "waivers"],
    ],
    "picker": [["group", "copy-memberships", "--from", "mira.holt", "--to", "yorick.tarn", "--pick"]],
}
KEYS = {"picker": ["space", "Down", "space", "Right", "s"]}
"""What is pressed before the picture is taken; such a command goes on until it is closed."""


def take(name: str, folder: Path) -> None:
    """Run the commands in a terminal window of about 1280 by 800 and photograph it."""
    lines = ["clear"]
    for command in SHOTS[name]:
        line = shlex.join(command)
        lines += [
            f"printf '\\033[1;32m$\\033[0m adzeguard %s\\n' {shlex.quote(line)}",
            f"adzeguard {line}" + ("" if name in KEYS else " 2>&1"),
        ]
    script = folder / "shot.sh"
    script.write_text("\n".join([*lines, "touch done", "sleep 30"]) + "\n")
    (folder / "done").unlink(missing_ok=True)
    display = ":77"
    server = subprocess.Popen(["Xvfb", display, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    try:
        environment = {**os.environ, "DISPLAY": display, "TERM": "xterm-256color"}
        time.sleep(1)
        window = subprocess.Popen(
            [*_TERMINAL, str(script)],
            cwd=folder,
            env=environment,
        )
        deadline = time.monotonic() + (4 if name in KEYS else 90)
        while not (folder / "done").exists() and time.monotonic() < deadline:
            time.sleep(0.2)
        time.sleep(0.5)
        for key in KEYS.get(name, ()):
            subprocess.run(["xdotool", "mousemove", "400", "400", "key", key], env=environment, check=True)
            time.sleep(0.3)
        picture = str(FOLDER / f"{name}.png")
        subprocess.run(["import", "-window", "root", picture], env=environment, check=True)
        # What lies below the last line shows nothing.
        crop = ["-fuzz", "12%", "-trim", "-bordercolor", "#14181f", "-border", "10", "+repage"]
        subprocess.run(["mogrify", *crop, picture], check=True)
        window.kill()
    finally:
        server.kill()
        server.wait()


def main() -> None:
    """Take the named pictures, or all."""
    FOLDER.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as temporary:
        made = Path(temporary) / "lowmere"
        subprocess.run(["adzeguard", "demo", str(made), "--only-make"], check=True, stdout=subprocess.DEVNULL)
        subprocess.run(["adzeguard", "collect", "--workspace", str(made)], check=False, capture_output=True)
        for name in [n for n in sys.argv[1:] if n in SHOTS] or list(SHOTS) * (not sys.argv[1:]):
            folder = Path(temporary) / name
            shutil.copytree(made, folder)
            if name == "reach":
                log = ["adzeguard", "trail", "import", "trail.jsonl"]
                subprocess.run(log, cwd=folder, check=True, capture_output=True)
            if name == "status":
                subprocess.run(
                    ["adzeguard", "enact", "--yes", "--workspace", str(folder)], check=False, capture_output=True
                )
            if name == "status":
                subprocess.run(["adzeguard", "check", "--workspace", str(folder)], check=False, capture_output=True)
            take(name, folder)
        if not sys.argv[1:] or "grant-map" in sys.argv[1:]:
            picture = str(FOLDER / "grant-map.png")
            subprocess.run(["adzeguard", "grant", "map", "--output", picture, "--workspace", str(made)], check=True)
            Path(picture).chmod(0o644)
        if not sys.argv[1:] or "timeline" in sys.argv[1:]:
            picture = str(FOLDER / "timeline.png")
            subprocess.run(["adzeguard", "trail", "import", "trail.jsonl"], cwd=made, check=True, capture_output=True)
            subprocess.run(["adzeguard", "history", WHO, "--picture", picture], cwd=made, check=True)
            Path(picture).chmod(0o644)
        if not sys.argv[1:] or "mail" in sys.argv[1:]:
            take_mail(made)
        if not sys.argv[1:] or "report" in sys.argv[1:]:
            take_report(made)


def take_mail(made: Path) -> None:
    """Render the HTML part of a question's mail, as a mail program would, in Debian's chromium."""
    from datetime import UTC, datetime

    from adzeguard.tellers.mail_words import html_of
    from adzeguard.tellers.port import Letter

    told = made / "told.jsonl"
    with (made / "adzeguard.toml").open("a") as settings:
        settings.write('\n[tell.lines]\nfile = "told.jsonl"\n')
    give = ["adzeguard", "group", "add", r"LOWMERE\Break Glass", "orla.fenn", "--yes"]
    subprocess.run(give, cwd=made, check=True, capture_output=True)
    subprocess.run(["adzeguard", "round"], cwd=made, check=False, capture_output=True)
    body = next(json.loads(line) for line in told.read_text().splitlines() if "break-glass" in line)
    page = made / "mail.html"
    page.write_text(html_of([Letter(1, "question", body["to"], datetime.now(UTC), body)]))
    command = ["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--window-size=1280,640"]
    subprocess.run([*command, f"--screenshot={FOLDER / 'mail.png'}", page.as_uri()], check=True, capture_output=True)


def take_report(made: Path) -> None:
    """Render the page of all reports, as a browser would."""
    page = made / "report.html"
    subprocess.run(["adzeguard", "report", "all", "--output", str(page)], cwd=made, check=True, capture_output=True)
    command = ["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--window-size=1280,800"]
    subprocess.run([*command, f"--screenshot={FOLDER / 'report.png'}", page.as_uri()], check=True, capture_output=True)


if __name__ == "__main__":
    main()
