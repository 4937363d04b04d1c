# SPDX-License-Identifier: Apache-2.0
"""Beside each act and each command another user exchanges what is in the directories where root works.

hostile.py [--swaps N] [--rounds N] [--only WORD]... [--quiet]

OLVIDO, ACTING (the one with the acts of tests/acts/) and SWAPPER name the programs. For each scenario and each kind of directory a small observatory is laid out, the
swapper (swapper.c) is set on it, and the command runs again and again until N names were exchanged, twice at least. Then a victim's
tree, which the exchanged links and hard links lead to, must be what it was: contents, owners, modes, times, attributes;
nobody may read what he could not read before; there is no set-id file that root has not made so; the command ends by
itself and in order; and the ledger verifies. The last line is "N exchanged, M wrong".
"""
import argparse
import fcntl
import gzip
import hashlib
import mmap
import os
import re
import shutil
import signal
import stat
import struct
import subprocess
import sys
import tempfile
import time

OLVIDO, ACTING, SWAPPER = (os.environ[x] for x in ("OLVIDO", "ACTING", "SWAPPER"))
THEM = 4242
SECRET = b"SECRET of root"
OLD = time.time() - 400 * 86400
POLICY = """olvido: 1
depots: {{ cold-room: {{ path: {depot} }} }}
rules:
  - {{ name: readings, under: [ {arena}, {arena}/t, "{arena}/t/*" ], where: {where}, steps: [ {{ after: 30 days, do: {act} }} ] }}
"""


def flags(path, wanted=None):
    """Append-only (0x20) and immutable (0x10); or these are set (FS_IOC_GETFLAGS, FS_IOC_SETFLAGS)."""
    fd = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_NOFOLLOW)
    try:
        now = struct.unpack("l", fcntl.ioctl(fd, 0x80086601, struct.pack("l", 0)))[0]
        if wanted is not None:
            fcntl.ioctl(fd, 0x40086602, struct.pack("l", now & ~0x30 | wanted))
        return now & 0x30
    finally:
        os.close(fd)


def lift_all(top):
    """What is frozen could not be cleared away."""
    for base, _, files in os.walk(top):
        for path in [base, *(os.path.join(base, name) for name in files)]:
            st = os.lstat(path)
            if (stat.S_ISDIR(st.st_mode) or stat.S_ISREG(st.st_mode)) and flags(path):
                flags(path, 0)


# ---- the places ----


class Place:
    """Everything in one folder: state, trash, depot, the victim, and the arena in which the swapper is at home."""

    def __init__(self, owner):
        self.owner, self.program = owner, OLVIDO
        self.top = tempfile.mkdtemp(prefix="olvido-hostile-")
        subprocess.run(["mount", "-t", "tmpfs", "-o", "mode=755", "none", self.top], check=True)  # it has file attributes
        self.state, self.depot, self.victim = (os.path.join(self.top, x) for x in ("state", "depot", "victim"))
        self.arena, self.policy, self.counts = (os.path.join(self.top, x) for x in ("arena", "policy.yaml", "counts"))
        self.environment = dict(os.environ, XDG_DATA_HOME=os.path.join(self.top, "data"), HOME=self.top, TZ="UTC")
        self.environment.pop("OLVIDO_STATE", None)
        os.mkdir(self.arena)
        if owner == "medium":
            subprocess.run(["mount", "-t", "tmpfs", "-o", "mode=755", "none", self.arena], check=True)
        self.make_victim()
        with open(self.counts, "wb") as file:
            file.write(bytes(16))
        os.chmod(self.counts, 0o666)
        with open(self.counts, "r+b") as file:
            self.map = mmap.mmap(file.fileno(), 16)
        self.begin()

    def begin(self):
        """A new state; the arena as it is in the beginning."""
        self.depot = os.path.join(self.top, "depot")
        for path in (self.state, self.depot, self.environment["XDG_DATA_HOME"]):
            shutil.rmtree(path, ignore_errors=True)
        os.mkdir(self.depot, 0o755)
        for name in os.listdir(self.top):
            if name.startswith("a."):
                os.unlink(os.path.join(self.top, name))
        self.fill()

    def fill(self):
        """The swapper stands still meanwhile, or the harness would be fooled itself."""
        lift_all(self.arena)
        for name in os.listdir(self.arena):
            path = os.path.join(self.arena, name)
            if os.path.isdir(path) and not os.path.islink(path):
                shutil.rmtree(path)
            else:
                os.unlink(path)
        os.mkdir(os.path.join(self.arena, "bait"))
        os.chown(os.path.join(self.arena, "bait"), THEM, THEM)
        for directory in ("t", "t/d", "t/d/e", "back"):
            os.mkdir(os.path.join(self.arena, directory))
        for number, name in enumerate(("t/r.csv", "t/s.csv", "t/d/u.csv", "t/d/e/v.csv", "t/w.csv", "t/d/x.csv")):
            path = os.path.join(self.arena, name)
            with open(path, "wb") as file:
                file.write(SECRET + b" %d\n" % number * 40)
            os.chmod(path, 0o600)
            if number % 3 == 2:  # one of theirs
                os.chown(path, THEM, THEM)
                with open(path, "wb") as file:
                    file.write(b"theirs %d\n" % number * 40)
        for base, directories, files in os.walk(self.arena):
            for name in files + directories:
                os.utime(os.path.join(base, name), (OLD, OLD), follow_symlinks=False)
            if not base.endswith("/bait"):
                if self.owner in ("theirs", "medium"):
                    os.chown(base, THEM, THEM)
                os.chmod(base, {"sticky": 0o1777, "everybody": 0o777}.get(self.owner, 0o755))

    def make_victim(self):
        os.mkdir(self.victim, 0o755)
        for name, mode in (("private", 0o600), ("public", 0o644), ("tool", 0o4755), ("r.csv", 0o600), ("u.csv", 0o640)):
            path = os.path.join(self.victim, name)
            with open(path, "wb") as file:
                file.write(SECRET + b" in " + name.encode() + b"\n")
            os.chmod(path, mode)
            os.setxattr(path, "user.station", b"7")
            os.utime(path, (OLD, OLD))
        os.mknod(os.path.join(self.victim, "device"), 0o600 | stat.S_IFCHR, os.makedev(1, 3))
        os.makedirs(os.path.join(self.victim, "d/e"), 0o700)
        for name in ("s.csv", "w.csv", "d/u.csv", "d/x.csv", "d/e/v.csv", "r.csv.gz", "d/u.csv.gz", "s.csv.gz"):
            path = os.path.join(self.victim, name)
            text = (SECRET + b" in " + name.encode() + b"\n") * 40
            with open(path, "wb") as file:
                file.write(gzip.compress(text) if name.endswith(".gz") else text)
            os.chmod(path, 0o600)
            os.utime(path, (OLD, OLD))
        self.was = self.picture()

    def picture(self):
        """All of the victim's tree, but what a hard link to it changes."""
        seen = {}
        for base, directories, files in os.walk(self.victim):
            for name in directories + files + ["."]:
                path = os.path.join(base, name)
                st = os.lstat(path)
                facts = [st.st_mode, st.st_uid, st.st_gid, st.st_mtime_ns]
                if stat.S_ISREG(st.st_mode):
                    with open(path, "rb") as file:
                        facts.append(hashlib.sha256(file.read()).hexdigest())
                if stat.S_ISREG(st.st_mode) or stat.S_ISDIR(st.st_mode):
                    facts.append(flags(path))
                if not stat.S_ISCHR(st.st_mode):
                    facts.append(sorted((x, os.getxattr(path, x, follow_symlinks=False)) for x in os.listxattr(path)))
                seen[os.path.relpath(path, self.victim)] = facts
        return seen

    def tool(self):
        """The victim's set-id program, which hard links may lead to."""
        st = os.lstat(os.path.join(self.victim, "tool"))
        return st.st_dev, st.st_ino

    def write_policy(self, act, where):
        with open(self.policy, "w") as file:
            file.write(POLICY.format(arena=self.arena, depot=self.depot, act=act, where=where))

    def exchanged(self):
        return struct.unpack("QQ", self.map[:])

    def end(self):
        self.map.close()
        if self.owner == "medium":
            subprocess.run(["umount", "-l", self.arena], check=True)
        subprocess.run(["umount", "-l", self.top], check=True)
        shutil.rmtree(self.top, ignore_errors=True)


# ---- what is looked for ----

READABLE = """
import os, sys
for top in sys.argv[1:]:
    for base, directories, files in os.walk(top):
        for name in files:
            path = os.path.join(base, name)
            try:
                fd = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_NOFOLLOW)
                text = os.read(fd, 1 << 16)
            except OSError:
                continue
            if b"SECRET of root" in text and not path.endswith(("victim/public", "victim/tool")):
                print(path)
"""


def wrong(place):
    """What is not as it must be."""
    found = []
    now = place.picture()
    for name in sorted(set(place.was) | set(now)):
        if place.was.get(name) != now.get(name):
            found.append(f"the victim's {name}: {place.was.get(name)} became {now.get(name)}")
    read = subprocess.run([sys.executable, "-c", READABLE, place.top], user=THEM, group=THEM, extra_groups=[],
                          capture_output=True, text=True)
    found += [f"{path} can be read by others now" for path in read.stdout.split("\n") if path]
    for base, _, files in os.walk(place.top):
        for name in files:
            path = os.path.join(base, name)
            st = os.lstat(path)
            is_ours = stat.S_ISREG(st.st_mode) and st.st_mode & 0o6000 and st.st_uid == 0
            if is_ours and (st.st_dev, st.st_ino) != place.tool():
                found.append(f"{path} is a set-id file of root's")
    return found

# ---- scenarios: what is done before, in peace; and what is done beside the swapper ----


def olvido(place, *words):
    return [place.program, "--state", place.state, "--policy", place.policy, *(w.format(**vars(place)) for w in words)]


FILES, DIRECTORIES = "kind = file", 'kind = directory and name = "d"'
UNPACK = ["sh", "-c", "for f in {arena}/t/*.csv {arena}/t/d/*.csv; do gzip -n $f; touch -d '400 days ago' $f.gz; done"]
SCENARIOS = {
    "tell": ("tell", FILES, [], ["enforce", "--yes"]),
    "compress": ("compress", FILES, [], ["enforce", "--yes"]),
    "discard": ("discard", FILES, [], ["enforce", "--yes"]),
    "discard-directory": ("discard", DIRECTORIES, [], ["enforce", "--yes"]),
    "delete": ("delete", FILES, [], ["enforce", "--unattended"]),
    "archive": ("archive, depot: cold-room", FILES, [], ["enforce", "--yes"]),
    "preview": ("discard", FILES, [], ["preview", "--list"]),
    "explain": ("discard", FILES, [], ["explain", "{arena}/t/r.csv", "{arena}/t/d/u.csv"]),
    "check": ("discard", FILES, [], ["check"]),
    "survey": ("discard", FILES, [], ["survey", "{arena}", "--list"]),
    "compress-by-hand": ("tell", FILES, [], ["compress", "{arena}/t/r.csv", "{arena}/t/d", "{arena}/t/d/e/v.csv", "{arena}/t/s.csv", "-y"]),
    "compress-tree": ("tell", FILES, [], ["compress", "{arena}/t", "-y"]),
    "compress-keep": ("tell", FILES, [], ["compress", "{arena}/t", "--keep", "-y", "--if-exists", "set-aside"]),
    "compress-replace": ("tell", FILES, [], ["compress", "{arena}/t", "-y", "--if-exists", "replace"]),
    "decompress": ("tell", FILES, UNPACK, ["decompress", "{arena}/t/r.csv.gz", "{arena}/t/d/u.csv.gz", "{arena}/t/s.csv.gz",
                                           "-y", "--if-exists", "number"]),
    "archive-by-hand": ("tell", FILES, [], ["archive", "{arena}/t/r.csv", "{arena}/t/d", "{arena}/t/s.csv", "--depot", "cold-room", "-y"]),
    "archive-tree": ("tell", FILES, [], ["archive", "{arena}/t", "--depot", "cold-room", "-y"]),
    "archive-to": ("tell", FILES, [], ["archive", "{arena}/t", "--to", "{arena}/back/a.tar.zst", "-y"]),
    "contents": ("tell", FILES, ["archive", "{arena}/t", "--to", "{arena}/back/a.tar", "--keep", "-y"],
                 ["contents", "{arena}/back/a.tar"]),
    "extract": ("tell", FILES, ["archive", "{arena}/t", "--to", "{top}/a.tar.gz", "--keep", "-y"],
                ["extract", "{top}/a.tar.gz", "--into", "{arena}/back", "--owners", "--if-exists", "replace"]),
    "extract-theirs": ("tell", FILES, ["archive", "{arena}/t", "--to", "{arena}/back/a.zip", "--keep", "-y"],
                       ["extract", "{arena}/back/a.zip", "--into", "{arena}/back", "--if-exists", "number"]),
    "recover": ("discard", FILES, ["enforce", "--yes"], ["recover", "**", "--if-exists", "number"]),
    "recover-replace": ("discard", FILES, ["enforce", "--yes"], ["recover", "**", "--if-exists", "replace"]),
    "recover-directory": ("discard", DIRECTORIES, ["enforce", "--yes"], ["recover", "**"]),
    "recover-into": ("discard", FILES, ["enforce", "--yes"], ["recover", "**", "--into", "{arena}/back"]),
    "recover-from-depot": ("tell", FILES, ["archive", "{arena}/t", "--depot", "cold-room", "-y"],
                           ["recover", "{arena}/t", "--if-exists", "number"]),
    "recover-from-depot-into": ("tell", FILES, ["archive", "{arena}/t", "--depot", "cold-room", "-y"],
                                ["recover", "{arena}/t", "--into", "{arena}/back", "--if-exists", "set-aside"]),
    "trash-show": ("discard", FILES, ["enforce", "--yes"], ["trash", "show"]),
    "trash-clear": ("discard", FILES, ["enforce", "--yes"], ["trash", "clear", "--yes", "--count", "{due}"]),
    "depot-in-it": ("archive, depot: cold-room", FILES, [], ["enforce", "--yes"]),
    "depot-verify": ("tell", FILES, ["archive", "{arena}/t", "--depot", "cold-room", "--keep", "-y"], ["depot", "verify"]),
    "depot-rebuild": ("tell", FILES, ["archive", "{arena}/t", "--depot", "cold-room", "--keep", "-y"], ["depot", "rebuild"]),
    "audit": ("tell", FILES, ["enforce", "--yes"], ["audit", "verify"]),
    "discard-by-hand": ("tell", FILES, [], ["discard", "{arena}/t/r.csv", "{arena}/t/d", "{arena}/t/s.csv", "-y"]),
    "discard-contents": ("tell", FILES, [], ["discard", "--contents", "{arena}/t", "-y"]),
    "discard-where": ("tell", FILES, [], ["discard", "--where", "size > 0", "{arena}/t", "-y"]),
    "discard-matching": ("tell", FILES, [], ["discard", "--matching", "**/*.csv", "{arena}", "-y"]),
    "delete-by-hand": ("tell", FILES, [], ["delete", "{arena}/t/r.csv", "{arena}/t/s.csv", "{arena}/t/d/u.csv", "-y"]),
    "delete-tree": ("tell", FILES, [], ["delete", "--tree", "{arena}/t", "--count", "6"]),
    "delete-where": ("tell", FILES, [], ["delete", "--tree", "--where", "size > 0", "{arena}/t", "--count", "6"]),
    "delete-directory": ("delete", DIRECTORIES, [], ["enforce", "--unattended"]),
    "sweep-by-hand": ("tell", FILES, [], ["sweep", "{arena}", "-y"]),
    "sweep": ("sweep", "kind = directory", [], ["enforce", "--yes"]),
    "remake": ("tell", FILES, ["sweep", "{arena}/back", "-y"], ["recover", "--run", "{run}"]),
    "protect": ("protect, as: frozen", FILES, [], ["enforce", "--yes"]),
    "protect-directory": ("protect, as: append-only", DIRECTORIES, [], ["enforce", "--yes"]),
    "protect-by-hand": ("tell", FILES, [], ["protect", "{arena}/t/r.csv", "{arena}/t/s.csv", "{arena}/t/d", "--as", "readonly", "-y"]),
    "protect-tree": ("tell", FILES, [], ["protect", "{arena}/t", "--tree", "--as", "frozen", "-y"]),
    "protect-above": ("tell", FILES, [], ["protect", "{arena}/t/d/u.csv", "--with-parents", "--as", "frozen", "-y"]),
    "protect-show": ("tell", FILES, ["protect", "{arena}/t", "--tree", "--as", "readonly", "-y"], ["protect", "--show", "{arena}"]),
    "unprotect": ("tell", FILES, ["protect", "{arena}/t", "--tree", "--as", "readonly", "-y"], ["unprotect", "{arena}/t", "--tree", "-y"]),
    "unprotect-anyway": ("tell", FILES, ["protect", "{arena}/t/r.csv", "{arena}/t/d/u.csv", "--as", "append-only", "-y"],
                         ["unprotect", "{arena}/t", "--tree", "--anyway", "-y"]),
    "unprotect-run": ("tell", FILES, ["protect", "{arena}/t", "--tree", "--as", "readonly", "-y"], ["recover", "--run", "{run}"]),
    "demo": ("tell", FILES, [], ["demo", "{arena}/back/tides"]),
    "stamp": ("stamp, as: read", FILES, [], ["enforce", "--yes"]),
    "stamp-directory": ("stamp, as: read", DIRECTORIES, [], ["enforce", "--yes"]),
    "twin": ('twin, to: "{dir}/{name}.twin", if-exists: number', FILES, [], ["enforce", "--yes"]),
    "twin-replace": ('twin, to: "{dir}/w.csv", if-exists: replace', FILES, [], ["enforce", "--yes"]),
    "twin-take-back": ('twin, to: "{dir}/{name}.twin"', FILES, ["enforce", "--yes"], ["recover", "--run", "{run}"]),
    "spoil": ("spoil", FILES, [], ["enforce", "--yes", "--count", "6"]),
    "spoil-directory": ("spoil", DIRECTORIES, [], ["enforce", "--yes", "--count", "3"]),
    "spoil-trash": ("discard", FILES, ["enforce", "--yes"], ["act", "spoil"]),
}
ACTS = ("stamp", "twin", "spoil")
# A loop of bare system calls, as one writes it without thinking of others: the bench must notice it.
NAIVE = """
import os, sys
for base, _, files in os.walk(sys.argv[1]):
    for name in files:
        path = os.path.join(base, name)
        try:
            text = open(os.open(path, os.O_RDONLY | os.O_NONBLOCK), "rb").read()
            open(os.open(path + ".copy", os.O_WRONLY | os.O_CREAT | os.O_NONBLOCK, 0o644), "wb").write(text)
            os.chmod(path, 0o640)
            os.utime(path)
        except OSError:
            pass
"""
THEIR_ARCHIVE = {"contents", "extract-theirs"}  # which may be something else by then: status 5
OWNERS = ("theirs", "sticky", "everybody", "medium")


def command_of(place, scenario):
    if scenario == "naive":
        return [sys.executable, "-c", NAIVE, place.arena]
    place.due = str(len([x for _, _, files in os.walk(place.environment["XDG_DATA_HOME"]) for x in files
                         if x.endswith(".trashinfo")]))
    return olvido(place, *SCENARIOS[scenario][3])


def prepare(place, scenario):
    act, where, before, _ = SCENARIOS.get(scenario, ("tell", FILES, [], []))
    place.begin()
    place.program = ACTING if scenario.startswith(ACTS) else OLVIDO
    if scenario in ("delete", "delete-directory"):
        act += ", unattended: true"
    if scenario == "depot-in-it":
        place.depot = os.path.join(place.arena, "back")
    place.write_policy(act, where)
    if before[:1] == ["sh"]:
        subprocess.run([x.format(**vars(place)) for x in before], check=True)
    elif before:
        done = subprocess.run(olvido(place, *before), env=place.environment, capture_output=True, text=True)
        if done.returncode != 0:
            raise SystemExit(f"{scenario}: what comes before ends with {done.returncode}: {done.stderr}")
        place.run = (re.findall(r"--run (\S+)", done.stdout) or [""])[-1]


def run(place, scenario, swaps, least):
    """What went wrong while so many names were exchanged beside the command."""
    before, rounds, found, statuses = place.exchanged()[0], 0, [], {}
    while not found and (place.exchanged()[0] - before < swaps or rounds < least):
        prepare(place, scenario)
        with subprocess.Popen([SWAPPER, place.arena, place.victim, place.counts]) as swapper:
            try:
                time.sleep(0.002)
                command = subprocess.run(command_of(place, scenario), env=place.environment, stdin=subprocess.DEVNULL,
                                         stdout=subprocess.PIPE, stderr=subprocess.STDOUT, timeout=120)
            except subprocess.TimeoutExpired:
                found.append("it did not end within two minutes")
                break
            finally:
                swapper.kill()
        said = command.stdout
        rounds += 1
        statuses[command.returncode] = statuses.get(command.returncode, 0) + 1
        is_read_broken = command.returncode == 5 and scenario in THEIR_ARCHIVE
        if command.returncode < 0 or (command.returncode > 4 and not is_read_broken) or b"Sanitizer" in said:
            found.append(f"it ended with {command.returncode}: {said.decode(errors='replace')[-1500:]}")
        found += wrong(place)
        if scenario != "naive" and os.path.isdir(os.path.join(place.state, "ledger")):
            verified = subprocess.run(olvido(place, "audit", "verify"), env=place.environment, capture_output=True, text=True)
            if verified.returncode != 0:
                found.append(f"the ledger: {verified.stdout}{verified.stderr}")
    return rounds, statuses, found


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("--swaps", type=int, default=100000)
    parser.add_argument("--rounds", type=int, default=2)
    parser.add_argument("--only", action="append")
    parser.add_argument("--quiet", action="store_true")
    options = parser.parse_args()
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(1))
    links = "/proc/sys/fs/protected_hardlinks"
    with open(links) as file:
        was = file.read()
    exchanged = pounced = wrongs = rounds = 0
    with open(links, "w") as file:
        file.write("0")  # hard links to root's files, as on older systems
    try:
        for scenario in ["naive"] + list(SCENARIOS):
            if options.only and scenario not in options.only and scenario != "naive":
                continue
            for owner in OWNERS if scenario != "naive" else ("theirs",):
                place = Place(owner)
                try:
                    times, statuses, found = run(place, scenario, options.swaps if scenario != "naive" else 2000000, options.rounds)
                    counted = place.exchanged()
                finally:
                    place.end()
                if scenario == "naive":
                    if not found:
                        raise SystemExit("the bench does not notice what a loop without care does")
                    continue
                exchanged += counted[0]
                pounced += counted[1]
                rounds += times
                wrongs += len(found) > 0
                if not options.quiet or found:
                    print(f"{scenario:24} {owner:10} {counted[0]:8} exchanged, {counted[1]:6} of them just made; "
                          f"{times:5} times; status {statuses}", flush=True)
                for what in found[:8]:
                    print(f"  WRONG: {what}", flush=True)
    finally:
        with open(links, "w") as file:
            file.write(was)
    print(f"{exchanged} exchanged, {pounced} of them just made, beside {rounds} commands, {wrongs} wrong")
    return wrongs > 0


if __name__ == "__main__":
    sys.exit(main())
