#!/usr/bin/python3
# SPDX-License-Identifier: Apache-2.0
"""Kills and faults at every call of every act, and what must hold afterwards.

    torture.py [--do kill,int,ENOSPC,...,power] [--stride N] [--only SCENARIO,...] [--at CALL] [--together] [--list] [--keep]

State, tree, trash and depot lie on file systems of their own (fresh ones, whose inode numbers coincide). Each
scenario is prepared once; then, for every call that its command makes (counted over all threads, see at_call.c),
it is laid out anew, disturbed at that call, settled by the next command, looked at, repeated, looked at again.
`power` is a kill on ext4 images after which some of the file systems have only what was brought to the disk:
their images are copied while the world stands still, and what was in memory only is not in a copy. Each of them
alone, and all at once, lose it; between file systems there is no order. `power-part`: the system has brought one of
them to the disk by itself, some calls before; it loses what came since, and so do the others at every second point.
settle-KIND disturbs what settles a run that was killed, at each of its own calls, for some places of the kill.
restored: the run is not disturbed; afterwards the state directory is one that was copied at that call. restored-state and
restored-catalogue: state.db or catalogue.db alone. clock: a kill, and the clock is 3,000 days ahead when the next runs settle.
KIND*N takes N times fewer points of that kind.
`lie` is a write of file contents that is answered as if all were well, though a bit of it was written otherwise.

What must hold is judged by other readers than Olvido's own: zstandard, tarfile, sqlite3, the raw lines of the
ledger. The last line says how many points of each kind were tried, and "N passed, N failed"."""
import argparse, base64, ctypes, fcntl, hashlib, io, json, lzma, os, re, shutil, signal, sqlite3, stat, struct, subprocess, sys, tarfile, tempfile, time, zipfile, zlib
from urllib.parse import unquote_to_bytes
import zstandard

HERE = os.path.dirname(os.path.abspath(__file__))
DAY = 86400
PLACES = ("state", "site", "site2", "cold", "home")   # each a file system of its own
PARTS = (("state",), ("site", "site2"), ("cold",))
CUTS = PARTS + (PLACES,)
LATELY = 24  # calls
DEAD = ("kill", "power", "power-part", "clock")
RESTORED = {"restored": "", "restored-state": "state.db", "restored-catalogue": "catalogue.db"}
KINDS = {"kill": "changes", "int": "changes", "term": "changes", "hup": "changes", "short": "changes", "ENOSPC": "changes", "EIO": "changes",
         "power": "changes", "power-part": "changes", "EMFILE": "opens", "ENOMEM": "memory", "EINTR": "changes", "EIO-read": "reads",
         "EIO-look": "looks", "EIO-rest": "rest", "lie": "write,pwrite64", "settle-look": "looks", "settle-EIO": "changes",
         "restored": "changes", "restored-state": "changes", "restored-catalogue": "changes", "clock": "changes"}


class Wrong(Exception):
    pass


LIBC = ctypes.CDLL(None, use_errno=True)


def mount(source, target, kind, options=""):
    """The system calls themselves: at thousands of points, a process for each would be half of the time."""
    if LIBC.mount(source.encode(), target.encode(), kind.encode(), 0, options.encode()) != 0:
        raise OSError(ctypes.get_errno(), "cannot mount", target)


def unmounted(target, lazily=False):
    return LIBC.umount2(target.encode(), 2 if lazily else 0) == 0


# ---- scenarios ----

FILES = ["tides/a/r1.csv", "tides/a/r2.csv", "tides/a/r3.csv", "tides/b/r4.csv", "tides/b/r5.csv", "tides/b/od\udcff.csv"]


def policy(*rules, trash=""):
    text = "olvido: 1\ntitle: Faro Norte tide observatory\ndepots:\n  cold-room: { path: %(cold)s/depot, pack: tar.zst }\n"
    text += "  other-room: { path: %(site)s/depot, pack: tar.zst }\n"
    return text + "rules:\n" + "".join(rules) + trash


def rule(steps, name="readings", under="%(site)s/tides", where=""):
    return "  - name: %s\n    under: %s\n%s    steps:\n%s" % (
        name, under, "    where: %s\n" % where if where else "", "".join("      - { %s, unattended: yes }\n" % s for s in steps))


class Scenario:
    def __init__(self, name, command, policy=None, prepare=(), may_go=False, after=None, loose="", more=0, only=None, never=None, acts=False, once=False, last=""):
        self.name, self.command, self.policy, self.prepare = name, command, policy, list(prepare)
        self.only, self.never = only, never  # the one kind that it is for, or is not for
        self.program = "ACTING" if acts else "OLVIDO"  # the one with the acts of tests/acts/
        self.last = last          # prepared each time anew, because it goes by inodes
        self.once = once          # in the end nothing is due any more
        self.may_go = may_go      # whether contents may be gone in the end
        self.after = after        # a command that must not change a thing afterwards
        self.files = FILES + ["tides/b/s%d.csv" % i for i in range(more)]  # from 17 on whole file systems are synced
        self.loose = loose        # repeated, it need not end as undisturbed: "always", or what it then says


DISCARD = policy(rule(["after: 30 days, do: discard"]))
COMPRESS = policy(rule(["after: 30 days, do: compress"]))
ARCHIVE = policy(rule(["after: 30 days, do: archive, depot: cold-room, one-per: directory"]))
DELETE = policy(rule(["after: 30 days, do: delete"]))
NOTHING = policy(rule(["after: 90 years, do: tell"]))
THIN = policy(rule(["after: 30 days, do: delete"], where='name like "r*.csv"'), rule(["after: 90 years, do: tell"], name="rest"))
STEPS = policy(rule(["after: 30 days, do: compress"], name="a", under="%(site)s/tides/a"),
               rule(["after: 10 days, do: archive, depot: cold-room"], name="b", under="%(site)s/tides/b"),
               rule(["after: 20 days, do: delete"], name="c", under="%(site)s/old"))
TWO = policy(rule(["after: 30 days, do: delete"], where='name = "r1.csv" or name = "r4.csv"'), rule(["after: 90 years, do: tell"], name="rest"))
TWO_ROOTS = policy('  - name: roots\n    under: [ "%(site)s", "%(site2)s" ]\n    where: name like "*.csv" and depth < 2\n    steps: [ { after: 30 days, do: discard } ]\n')
ENFORCE = "enforce --yes".split()
PUBLIC = ["!chmod 1777 tides/a; chmod 777 tides/b"]  # a private room is made there
LINKS = policy(rule(["after: 30 days, do: discard"], name="first", under="%(site)s/tides/daily.0"), rule(["after: 30 days, do: discard"], name="second"))
# Hard links of each other under one name in two directories; the night before took one of each.
SNAPSHOTS = ["!mkdir tides/daily.0 tides/daily.1; for n in 1 2 3; do seq $n 700 >tides/daily.0/s$n.csv; touch -d '90 days ago' tides/daily.0/s$n.csv; done; cp -al tides/daily.0/. tides/daily.1",
             "enforce --yes --rule first"]
SAME_NAMES = ["!for i in $(seq 20); do mkdir tides/$i; echo $i >tides/$i/same.csv; done; touch -d '100 days ago' tides/*/same.csv"]  # info files are made ahead
EMPTIES = ["!mkdir -p tides/e/f/g tides/e/h tides/a/i; chmod 2750 tides/e; find tides -depth -type d -exec touch -d '100 days ago' {} +"]
SWEEP = policy(rule(["after: 30 days, do: sweep"], name="empties", where="kind = directory"))
STAMP = policy(rule(["after: 30 days, do: stamp, as: kept at Faro Norte"], where="kind = file"), rule(["after: 30 days, do: stamp, as: a place"], name="places", where="kind = directory"))
TWIN = policy(rule(["after: 30 days, do: twin, to: \"{dir}/{stem}.twin\", if-exists: %s"], where='suffix = "csv"'))
SPOIL = "after: 30 days, do: spoil, passes: 2"
PACKS = ("tar", "tar.gz", "tar.bz2", "tar.xz", "zip")


def packed(policy, pack):
    return policy.replace("tar.zst", pack)

SCENARIOS = [
    Scenario("discard", ENFORCE, DISCARD),
    Scenario("discard-many", ENFORCE, DISCARD, more=15),
    Scenario("discard-same", ENFORCE, DISCARD, SAME_NAMES),
    Scenario("discard-links", ENFORCE, LINKS, SNAPSHOTS),
    Scenario("recover-links", "recover %(site)s/tides/daily.0 --if-exists number".split(), LINKS, SNAPSHOTS + ["!ln tides/daily.1/s1.csv tides/daily.0/s1.csv; echo newcomer >tides/daily.0/s2.csv"]),
    Scenario("compress", ENFORCE, COMPRESS),
    Scenario("compress-by-hand", "compress tides -y".split(), NOTHING),
    Scenario("decompress", "decompress tides -y".split(), NOTHING, ["compress tides -y"]),
    Scenario("archive", ENFORCE, ARCHIVE),
    Scenario("archive-keep", "archive tides --depot cold-room --keep -y".split(), NOTHING),
    Scenario("archive-to", "archive tides --to tides.tar.zst -y".split(), NOTHING, loose="is there already"),
    Scenario("delete", ENFORCE, DELETE, may_go=True),
    Scenario("thin", ENFORCE + ["--count", "DUE"], THIN, ["archive tides --depot cold-room -y", "!mkdir tides"], may_go=True),
    Scenario("thin-whole", ENFORCE + ["--count", "DUE"], DELETE, ["archive tides --depot cold-room -y", "!mkdir tides"], may_go=True),
    Scenario("thin-two-depots", ENFORCE + ["--count", "DUE"], TWO, ["archive tides/a --depot cold-room -y", "archive tides/b --depot other-room -y", "!mkdir -p tides"], may_go=True),
    Scenario("clear", "trash clear --yes --count DUE".split(), DISCARD, ["enforce --yes"], may_go=True),
    Scenario("recover", "recover %(site)s/tides".split(), DISCARD, ["enforce --yes"], after=ENFORCE),
    Scenario("recover-many", "recover %(site)s/tides".split(), DISCARD, ["enforce --yes"], after=ENFORCE, more=15),
    Scenario("recover-directory", "recover %(site)s/tides".split(), DISCARD, ["enforce --yes", "!rmdir tides/a tides/b"], after=ENFORCE),
    Scenario("recover-number", "recover %(site)s/tides --if-exists number".split(), DISCARD,
             ["enforce --yes", "!for f in tides/a/r1.csv tides/b/r4.csv; do echo newcomer $f >$f; done"], after=ENFORCE),
    Scenario("recover-set-aside", "recover %(site)s/tides --if-exists set-aside".split(), DISCARD,
             ["enforce --yes", "!for f in tides/a/r1.csv tides/b/r4.csv; do echo newcomer $f >$f; done"], after=ENFORCE),
    Scenario("fetch", "recover %(site)s/tides".split(), DISCARD, ["archive tides --depot cold-room -y"], after=ENFORCE),
    Scenario("fetch-keep", "recover %(site)s/tides --into %(site)s/back".split(), NOTHING, ["archive tides --depot cold-room --keep -y"]),
    Scenario("fetch-many", "recover %(site)s/tides".split(), DISCARD, ["archive tides --depot cold-room -y"], after=ENFORCE, more=15),
    Scenario("compress-many", "compress tides -y".split(), NOTHING, more=15),
    Scenario("fetch-number", "recover %(site)s/tides --if-exists number".split(), NOTHING,
             ["archive tides --depot cold-room -y", "!mkdir -p tides/a tides/b; for f in tides/a/r1.csv tides/b/r4.csv; do echo newcomer $f >$f; done"], loose="always"),
    Scenario("fetch-two-depots", "recover %(site)s/tides".split(), NOTHING,
             ["archive tides/a --depot cold-room -y", "archive tides/b --depot other-room -y"]),
    Scenario("extract", "extract %(site)s/tides.tar.zst --into %(site)s/out --if-exists skip".split(), NOTHING, ["archive tides --to tides.tar.zst --keep -y"], loose="always", never="lie"),
    Scenario("rebuild", "depot rebuild".split(), NOTHING,
             ["archive tides/a --depot cold-room --keep -y", "archive tides/b --depot other-room --keep -y"]),
    Scenario("discard-public", ENFORCE, DISCARD, PUBLIC),
    Scenario("compress-public", ENFORCE, COMPRESS, PUBLIC),
    Scenario("archive-public", ENFORCE, ARCHIVE, PUBLIC),
    Scenario("discard-two-roots", ENFORCE, TWO_ROOTS, ["!for i in 1 2 3; do seq $i 700 >one$i.csv; seq $i 800 >../site2/two$i.csv; done; touch -d '100 days ago' one* ../site2/two*"]),
    Scenario("delete-two-roots", ENFORCE, TWO_ROOTS.replace("discard", "delete"), ["!for i in 1 2 3; do seq $i 700 >one$i.csv; seq $i 800 >../site2/two$i.csv; done; touch -d '100 days ago' one* ../site2/two*"], may_go=True),
    Scenario("compress-replace", "compress tides -y --if-exists replace".split(), NOTHING, ["!for f in tides/a/r1.csv tides/b/r4.csv; do echo newcomer $f >$f.zst; done"], may_go=True),
    Scenario("compress-number", "compress tides -y --if-exists number".split(), NOTHING, ["!for f in tides/a/r1.csv tides/b/r4.csv; do echo newcomer $f >$f.zst; done"]),
    Scenario("stamp", ENFORCE, STAMP, acts=True, once=True),
    Scenario("stamp-links", ENFORCE, STAMP, ["!mkdir tides/c; for f in tides/a/*.csv; do ln $f tides/c/; done; touch -d '100 days ago' tides/c"], acts=True, once=True),
    Scenario("twin", ENFORCE, TWIN.replace("%s", "refuse"), acts=True, once=True),
    Scenario("twin-number", ENFORCE, TWIN.replace("%s", "number"), ["!echo newcomer >tides/a/r1.twin; echo newcomer >tides/b/r4.twin"], acts=True, once=True),
    Scenario("twin-replace", ENFORCE, TWIN.replace("%s", "replace"), ["!echo newcomer >tides/a/r1.twin; echo newcomer >tides/b/r4.twin"], may_go=True, acts=True, once=True),
    Scenario("twin-back", "recover --run RUN".split(), TWIN.replace("%s", "refuse"), ["enforce --yes"], acts=True),
    Scenario("spoil", ENFORCE, policy(rule([SPOIL])), may_go=True, acts=True, never="lie"),
    Scenario("spoil-directory", ENFORCE + ["--count", "DUE"], policy(rule([SPOIL], where="kind = directory")), may_go=True, acts=True, loose="always", never="lie"),
    Scenario("spoil-trash", "act spoil passes=2".split(), DISCARD, ["enforce --yes"], may_go=True, acts=True, loose="always", never="lie"),
    Scenario("spoil-depot", ENFORCE + ["--count", "DUE"], THIN.replace("after: 30 days, do: delete", SPOIL), ["archive tides --depot cold-room -y", "!mkdir tides"], may_go=True, acts=True, never="lie"),
    Scenario("discard-by-hand", "discard tides -y".split(), NOTHING, loose="looking for it"),
    Scenario("discard-contents", "discard --contents tides -y".split(), NOTHING, loose="always"),
    Scenario("discard-where", ["discard", "--where", 'name like "r*"', "tides", "-y"], NOTHING, loose="always"),
    Scenario("discard-public-by-hand", "discard tides/a tides/b -y".split(), NOTHING, PUBLIC, loose="looking for it"),
    Scenario("delete-by-hand", "delete tides/a/r1.csv tides/b/r4.csv -y".split(), NOTHING, may_go=True, loose="looking for it"),
    Scenario("delete-links-by-hand", "delete tides/a/r1.csv tides/a/twin.csv tides/b/twin.csv -y".split(), NOTHING, ["!ln tides/a/r1.csv tides/a/twin.csv; ln tides/a/r1.csv tides/b/twin.csv"], may_go=True, loose="always"),
    Scenario("delete-where", ["delete", "--tree", "--where", 'name like "*.csv"', "tides", "--count", "DUE"], NOTHING, may_go=True, loose="always"),
    Scenario("delete-tree", "delete --tree tides --count DUE".split(), NOTHING, may_go=True, loose="always"),
    Scenario("delete-directories", ENFORCE + ["--count", "DUE"], policy(rule(["after: 30 days, do: delete"], where="kind = directory")), may_go=True, loose="always"),
    Scenario("sweep-by-hand", "sweep tides -y".split(), NOTHING, EMPTIES),
    Scenario("sweep", ENFORCE, SWEEP, EMPTIES, once=True),
    Scenario("discard-and-sweep", ENFORCE, SWEEP.replace("rules:\n", "rules:\n" + rule(["after: 30 days, do: discard"], where='name like "*.csv"')), EMPTIES, loose="always"),
    Scenario("protect", "protect tides --tree --as frozen -y".split(), NOTHING),
    Scenario("protect-many", ENFORCE, policy(rule(["after: 30 days, do: protect, as: append-only"])), more=15, once=True),
    Scenario("protect-readonly", "protect tides --tree --as readonly -y".split(), NOTHING),
    Scenario("unprotect", "unprotect tides --tree -y".split(), NOTHING, last="protect tides --tree --as frozen -y", loose="there is nothing to unprotect"),
    Scenario("unprotect-readonly", "unprotect tides --tree -y".split(), NOTHING, last="protect tides --tree --as readonly -y", loose="there is nothing to unprotect"),
    Scenario("unprotect-run", "recover --run RUN".split(), NOTHING, last="protect tides --tree --as append-only -y", loose="always"),
    Scenario("remake", "recover --run RUN".split(), NOTHING, EMPTIES + ["sweep tides -y"]),
    Scenario("age-in-trash", ENFORCE + ["--count", "DUE"], policy(rule(["after: 30 days, do: discard", "after: 300 days, do: delete"])),
             ["!find tides -type f -exec touch -d '100 days ago' {} +", "enforce --yes", "!touch -d '400 days ago' .Trash-0/files/*"], may_go=True),
    Scenario("steps", ENFORCE + ["--count", "DUE"], STEPS, ["!mkdir old; for i in 7 8 9; do seq $i 900 >old/r$i.csv; done; touch -d '25 days ago' old/*", "archive old --depot cold-room -y", "!mkdir old"],
             may_go=True),
] + [
    Scenario("archive-" + pack, ENFORCE, packed(ARCHIVE, pack), only="lie") for pack in PACKS
] + [
    Scenario("thin-" + pack, ENFORCE + ["--count", "DUE"], packed(THIN, pack), ["archive tides --depot cold-room -y", "!mkdir tides"], may_go=True, only="lie")
    for pack in PACKS
] + [
    Scenario("fetch-" + pack, "recover %(site)s/tides".split(), packed(NOTHING, pack), ["archive tides --depot cold-room -y"], only="lie") for pack in PACKS
]
IS_ARCHIVE = re.compile(r"\.(tar|zip)\b")


# ---- the world ----

class World:
    def __init__(self, scenario, has_images=False, is_together=False):
        self.scenario, self.has_images, self.is_together = scenario, has_images, is_together
        self.tolerates = False  # info files without an item: where it was their removal that failed
        self.root = tempfile.mkdtemp(prefix="olvido-torture-")
        self.at = {p: os.path.join(self.root, p) for p in PLACES}
        self.kept = os.path.join(self.root, "kept")
        if is_together:
            mount("none", self.root, "tmpfs", "size=200m,mode=0755")
        for p in PLACES + ("images", "cut", "kept"):
            os.mkdir(self.path(p))
        self.devices = {}
        if has_images:
            for p in ("images", "cut", "kept"):
                mount("none", self.path(p), "tmpfs")
            for p in PLACES:
                image = self.path("images", p)
                subprocess.run("truncate -s 24M %s && mkfs.ext4 -q -F -m 0 -J size=4 -E lazy_itable_init=0,lazy_journal_init=0,root_owner=0:0 %s" % (image, image), shell=True, check=True)
                self.devices[p] = subprocess.run(["losetup", "--find", "--show", image], check=True, stdout=subprocess.PIPE, text=True).stdout.strip()
        self.mount()
        with open(self.path("policy.yaml"), "w") as f:
            f.write(scenario.policy % self.at)
        self.env = dict(os.environ, HOME=self.at["home"], XDG_DATA_HOME=self.at["home"] + "/data", TZ="UTC",
                        ASAN_OPTIONS="detect_leaks=0:abort_on_error=0")

    def path(self, *names):
        return os.path.join(self.root, *names)

    def mount(self):
        for p in () if self.is_together else PLACES:
            if self.has_images:
                mount(self.devices[p], self.at[p], "ext4", "commit=3600,nodiscard")
            else:
                mount("none", self.at[p], "tmpfs", "size=200m,mode=0755")

    def unmount(self):
        for p in PLACES:
            for _ in range(1000):
                if unmounted(self.at[p]):
                    break
                time.sleep(0.002)
            else:
                raise Wrong("cannot unmount " + p)

    def copy_images(self, source, target, places=PLACES):
        """In place: the devices stay those of these very files."""
        subprocess.run(["cp", "--sparse=always"] + [os.path.join(source, p) for p in places] + [target], check=True)

    def lose(self, places):
        """The power went: these places have what their copies have."""
        self.unmount()
        self.copy_images(self.path("cut"), self.path("images"), places)
        self.mount()

    def close(self):
        for p in [self.root] if self.is_together else [self.at[p] for p in PLACES]:
            unmounted(p, lazily=True)
        if self.devices:
            subprocess.run(["losetup", "--detach"] + list(self.devices.values()), check=False)
            for p in ("images", "cut", "kept"):
                unmounted(self.path(p), lazily=True)
        shutil.rmtree(self.root, ignore_errors=True)

    def due(self):
        """How many lie where the scenario ends them: what a person would count and type."""
        if self.scenario.name == "clear":
            return sum(len({n[:-len(".trashinfo")] for n in os.listdir(t + "/info")} | set(os.listdir(t + "/files"))) for t in self.trashes())
        if self.scenario.name == "age-in-trash":
            return len(list(self.in_trash()))
        if self.scenario.name == "delete-where":
            return len([path for path in self.files("site") if "/tides/" in path and path.endswith(".csv")])
        if self.scenario.name in ("spoil-directory", "delete-tree", "delete-directories"):
            return len([path for path in self.files("site") if "/tides/" in path])
        names = {THIN: r"/r[0-9]\.csv$", THIN.replace("after: 30 days, do: delete", SPOIL): r"/r[0-9]\.csv$", TWO: r"/r[14]\.csv$", STEPS: "/old/"}.get(re.sub(r"\b(tar(\.\w+)?|zip)\b", "tar.zst", self.scenario.policy), ".")
        return sum(bool(re.search(names, path)) for archive in self.archives() for path in self.members(archive))

    def words(self, command):
        command = [str(self.due()) if w == "DUE" else self.run_id if w == "RUN" else w for w in command]
        return [os.environ[self.scenario.program], "--state", self.at["state"] + "/olvido", "--policy", self.path("policy.yaml")] + [w % self.at for w in command]

    def run(self, command, before=(), is_ahead=False):
        env = dict(self.env, LD_PRELOAD=os.environ["MOVED_CLOCK"], CLOCK_WRONG=str(3000 * DAY), CLOCK_SYNCHRONISED="no") if is_ahead else self.env
        done = subprocess.run(list(before) + self.words(command), cwd=self.at["site"], env=env, stdin=subprocess.DEVNULL,
                              stdout=subprocess.PIPE, stderr=subprocess.PIPE, timeout=120)
        self.said = (done.stdout + done.stderr).decode(errors="replace")
        return done.returncode

    def prepare(self):
        os.makedirs(self.at["cold"] + "/depot")
        os.makedirs(self.at["site"] + "/depot")
        when = time.time() - 400 * DAY
        for number, name in enumerate(self.scenario.files):
            path = os.path.join(self.at["site"], name)
            os.makedirs(os.path.dirname(path), exist_ok=True)
            with open(path, "w") as f:
                f.write("".join("%s;%d;%d m\n" % (os.path.basename(name).encode(errors="replace"), i, i * (number + 3) % 17) for i in range(400)))
            os.chmod(path, 0o640)
            os.utime(path, (when, when - number * 3600))
        for d in ("tides/a", "tides/b"):
            os.chmod(os.path.join(self.at["site"], d), 0o750)
            os.utime(os.path.join(self.at["site"], d), (when, when))
        for step in self.scenario.prepare:
            if step[0] == "!":
                subprocess.run(["sh", "-c", step[1:]], cwd=self.at["site"], check=True)
            elif self.run(step.split()) != 0:
                raise Wrong("cannot prepare: %s: %s" % (step, self.said))
        self.known = self.contents()
        self.stored = {a: set(self.members(a).values()) for a in self.archives()}
        self.prepared_lines = len(list(self.lines()))
        self.run_id = ([line["run"] for line in self.lines()] or [""])[-1]
        subprocess.run(["rm", "-f", self.at["state"] + "/olvido/reserve"], check=True)
        self.keep()

    def keep(self):
        if self.has_images:
            self.unmount()
            self.copy_images(self.path("images"), self.kept)
            return self.mount()
        subprocess.run(["cp", "-a"] + list(self.at.values()) + [self.kept], check=True)

    def lift_all(self):
        for p in PLACES:
            for directory, names, plain in os.walk(self.at[p]):
                for path in [directory] + [os.path.join(directory, name) for name in plain]:
                    if self.flags(path):
                        self.flags(path, 0)

    def lay_out(self):
        if "protect" in self.scenario.name:
            self.lift_all()
        if self.has_images:
            self.unmount()
            self.copy_images(self.kept, self.path("images"))
            self.mount()
            return self.do_last()
        for p in PLACES:
            for name in os.listdir(self.at[p]):
                path = os.path.join(self.at[p], name)
                shutil.rmtree(path) if os.path.isdir(path) and not os.path.islink(path) else os.unlink(path)
        subprocess.run(["cp", "-a"] + [os.path.join(self.kept, p) for p in PLACES] + [self.root], check=True)
        self.do_last()

    def do_last(self):
        if not self.scenario.last:
            return
        if self.run(self.scenario.last.split()) != 0:
            raise Wrong("cannot prepare: %s: %s" % (self.scenario.last, self.said))
        self.prepared_lines = len(list(self.lines()))
        self.run_id = [line["run"] for line in self.lines()][-1]
        if self.has_images:  # it is as old as what was prepared before
            subprocess.run(["sync"], check=True)

    # ---- looking, without Olvido ----

    def files(self, *places):
        for p in places:
            for directory, names, plain in os.walk(self.at[p]):
                for name in plain:
                    yield os.path.join(directory, name)

    def trashes(self):
        for t in (self.at["site"] + "/.Trash-%d" % os.geteuid(), self.at["site2"] + "/.Trash-%d" % os.geteuid(), self.at["home"] + "/data/Trash"):
            if os.path.isdir(t):
                yield t

    def in_trash(self):
        """item -> (original path, file)"""
        for t in self.trashes():
            infos, items = [set(os.listdir(t + d)) if os.path.isdir(t + d) else set() for d in ("/info", "/files")]
            for item in items:
                if item + ".trashinfo" not in infos:
                    raise Wrong("in the trash without an info file: %r" % item)
                text = open(os.path.join(t, "info", item + ".trashinfo"), "rb").read()
                found = re.search(rb"^Path=(.*)$", text, re.M)
                if not text.startswith(b"[Trash Info]\n") or not found or not re.search(rb"^DeletionDate=\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d$", text, re.M):
                    raise Wrong("a torn info file: %r" % item)
                path = os.fsdecode(unquote_to_bytes(found.group(1)))
                yield (path if path.startswith("/") else os.path.join(os.path.dirname(t), path)), os.path.join(t, "files", item)
            for info in infos:
                if info[:-len(".trashinfo")] not in items and not self.tolerates:
                    raise Wrong("an info file without an item: %r" % info)

    def is_spoilt(self, data):
        """Overwritten, as far as it got."""
        return self.scenario.program == "ACTING" and data[:1] == b"\0"

    @staticmethod
    def stamp(path):
        """What it is stamped with."""
        try:
            return os.getxattr(path, "user.olvido-stamp", follow_symlinks=False).decode()
        except OSError:
            return ""

    @staticmethod
    def flags(path, wanted=None):
        """Its file attributes append-only (0x20) and immutable (0x10); or these are set (FS_IOC_GETFLAGS, FS_IOC_SETFLAGS)."""
        if not stat.S_ISREG(os.lstat(path).st_mode) and not os.path.isdir(path):
            return 0
        fd = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_NOFOLLOW)
        try:
            now = struct.unpack("l", fcntl.ioctl(fd, 0x80086601, struct.pack("l", 0)))[0]
            if wanted is not None:
                fcntl.ioctl(fd, 0x40086602, struct.pack("l", now & ~0x30 | wanted))
            return now & 0x30
        except OSError:
            return 0
        finally:
            os.close(fd)

    @staticmethod
    def digest(data):
        return hashlib.sha256(data).hexdigest()[:16]

    def archives(self):
        for path in self.files("cold", "site"):
            if IS_ARCHIVE.search(os.path.basename(path)) and "/.Trash" not in path:
                yield path

    def members(self, path):
        out = {}
        with open(path, "rb") as f:
            try:
                if path.endswith(".zip"):
                    with zipfile.ZipFile(f) as pack:
                        for m in pack.infolist():
                            name = m.filename if m.flag_bits & 0x800 else os.fsdecode(m.filename.encode("cp437"))
                            if not m.is_dir():
                                out["/" + name.lstrip("/")] = self.digest(pack.read(m))
                else:
                    if path.endswith(".zst"):
                        f = io.BytesIO(zstandard.ZstdDecompressor().stream_reader(f, read_across_frames=True).read())
                    with tarfile.open(fileobj=f, mode="r:*", encoding="utf-8", errors="surrogateescape") as tar:
                        for m in tar:
                            if m.isfile() or m.islnk():
                                out["/" + m.name.lstrip("/")] = self.digest(tar.extractfile(m).read())
            except (zstandard.ZstdError, tarfile.TarError, zipfile.BadZipFile, EOFError, OSError, zlib.error, lzma.LZMAError) as e:
                raise Wrong("an archive cannot be read: %s: %s" % (path, e))
        manifest = out.pop("/.olvido-manifest.jsonl", None)
        if manifest is None:
            raise Wrong("an archive without its manifest: %s" % path)
        return out

    def contents(self):
        """digest -> list of where it is"""
        where = {}
        for path in self.files("site", "site2", "cold", "home"):
            if "/.Trash" in path or "/Trash/" in path or "/depot/" in path or path.endswith(".olvido-manifest.jsonl") or IS_ARCHIVE.search(os.path.basename(path)):
                continue
            data = open(path, "rb").read()
            if self.is_spoilt(data):
                continue
            kind = "tree"
            name = path
            while name.endswith(".zst") and data:  # twice, where the key that knows our own files was lost
                name = name[:-len(".zst")]
                try:
                    data, kind = zstandard.ZstdDecompressor().stream_reader(io.BytesIO(data), read_across_frames=True).read(), "packed"
                except zstandard.ZstdError:
                    if not data.startswith(b"newcomer"):
                        raise Wrong("half-written: %s" % path)
                    break
            where.setdefault(self.digest(data), []).append((kind, path))
        for path, file in self.in_trash():
            within = [os.path.join(d, n) for d, _, names in os.walk(file) for n in names] if os.path.isdir(file) else [file]
            for name in within:
                data = open(name, "rb").read()
                if not self.is_spoilt(data):
                    where.setdefault(self.digest(data), []).append(("trash", path + name[len(file):]))
        for archive in self.archives():
            for path, digest in self.members(archive).items():
                where.setdefault(digest, []).append(("archive", path))
        return where

    def picture(self):
        """Where all contents are, and what directories look like; without names that differ from run to run."""
        out = set()
        for digest, places in self.contents().items():
            for kind, path in places:
                out.add((digest, kind, path if kind != "trash" else path))
        for directory, names, plain in os.walk(os.path.join(self.at["site"])):
            if "/.Trash" not in directory and "/depot" not in directory:
                s = os.lstat(directory)
                out.add(("directory", directory, oct(s.st_mode & 0o7777), self.flags(directory), self.stamp(directory)))
            for name in plain:
                path = os.path.join(directory, name)
                s = os.lstat(path)
                if "/.Trash" not in path and "/depot/" not in path and not IS_ARCHIVE.search(name):
                    out.add(("file", path, oct(s.st_mode & 0o7777), int(s.st_mtime) if "newcomer" not in path else 0, self.flags(path), self.stamp(path)))
        return out

    def check_protection(self):
        """What shows a level is known; of what nobody can tell who did it, lifting leaves it."""
        db, known = self.at["state"] + "/olvido/state.db", {}
        if "protect" not in self.scenario.name or not os.path.exists(db):
            return
        copy = tempfile.mkdtemp()
        for end in ("", "-wal"):
            if os.path.exists(db + end):
                shutil.copy(db + end, copy)
        c = sqlite3.connect(copy + "/state.db")
        if c.execute("SELECT count(*) FROM sqlite_master WHERE name = 'protected'").fetchone()[0]:
            known = {os.fsdecode(r[0]): r[1] for r in c.execute("SELECT path, level FROM protected")}
        c.close()
        shutil.rmtree(copy)
        for directory, names, plain in os.walk(self.at["site"] + "/tides"):
            for path in [directory] + [os.path.join(directory, name) for name in plain]:
                shown = {0x20: 2, 0x10: 4}.get(self.flags(path), 0) or (0 if os.lstat(path).st_mode & 0o222 else 1)
                if shown and shown != known.get(path, 0):  # a row that stands for nothing lifts nothing
                    raise Wrong("%s shows level %d, and known is %d" % (path, shown, known.get(path, 0)))

    def check_debris(self):
        for p in PLACES:
            for directory, names, plain in os.walk(self.at[p]):
                for name in names + plain:
                    if name.startswith(".olvido-") and not self.tolerates and not name.endswith("manifest.jsonl"):
                        raise Wrong("debris: %s" % os.path.join(directory, name))
        state = self.at["state"] + "/olvido"
        for path in self.files("state"):
            name = os.path.basename(path)
            if name.endswith(".new") or name == "unfinished" or (name.startswith("open") and "/runs/" in path):
                raise Wrong("debris: %s" % path)
        db = state + "/catalogue.db"
        known = set()
        if os.path.exists(db):
            copy = tempfile.mkdtemp()
            for end in ("", "-journal", "-wal"):
                if os.path.exists(db + end):
                    shutil.copy(db + end, copy)
            c = sqlite3.connect(copy + "/catalogue.db")
            columns = [r[1] for r in c.execute("PRAGMA table_info(archive)")]
            if not columns:
                c.executescript("CREATE TABLE archive (id, depot, name, state); CREATE TABLE depot (id, path); CREATE TABLE member (archive)")
            live = "WHERE a.state = 1" if "state" in columns else ""
            if live and c.execute("SELECT count(*) FROM archive WHERE state <> 1").fetchone()[0]:
                raise Wrong("an archive of the catalogue is neither live nor gone")
            known = {os.path.join(os.fsdecode(r[0]), os.fsdecode(r[1])) for r in
                     c.execute("SELECT d.path, a.name FROM archive a JOIN depot d ON d.id = a.depot " + live)}
            members = c.execute("SELECT count(*) FROM member WHERE archive NOT IN (SELECT id FROM archive)").fetchone()[0]
            c.close()
            shutil.rmtree(copy)
            if members:
                raise Wrong("the catalogue has members without an archive")
        there = {p for p in self.archives() if "/depot/" in p}
        if there != known:
            raise Wrong("depots and catalogue differ: there %s, known %s" % (sorted(there - known), sorted(known - there)))

    def check_contents(self):
        """Nothing is lost, and nothing is there that nobody wrote."""
        now = self.contents()
        lost = set(self.known) - set(now)
        if lost and not self.scenario.may_go:
            raise Wrong("lost: %s" % [self.known[d] for d in lost])
        odd = set(now) - set(self.known)
        if odd:
            raise Wrong("contents that nobody wrote: %s" % [now[d] for d in odd])
        for d in lost:
            if not any(path in self.ended for _, path in self.known[d]) and not any(d in self.stored.get(a, ()) for a in self.removed):
                raise Wrong("gone, and the ledger does not say so: %s" % self.known[d])

    def lines(self):
        directory = self.at["state"] + "/olvido/ledger"
        for name in sorted(os.listdir(directory)) if os.path.isdir(directory) else []:
            if name.startswith("lines-"):
                for text in open(os.path.join(directory, name), "rb").read().split(b"\n"):
                    if text:
                        yield json.loads(text)

    @staticmethod
    def name_in(line, key):
        if key + "_b64" in line:
            return base64.b64decode(line[key + "_b64"]).decode(errors="surrogateescape")
        return line.get(key, "")

    def check_ledger(self):
        """What the ledger says last of a path is so."""
        last, last_of_item, begun, ended = {}, {}, set(), set()
        self.ended, self.removed = set(), set()
        now, self.given_back = {}, set()
        for digest, places in self.contents().items():
            for kind, path in places:
                now.setdefault(path, set()).add(kind)
                if kind == "tree" and digest in self.known and not any(k == "tree" for k, p in self.known[digest]):
                    self.given_back.add(path)
        for number, line in enumerate(self.lines()):
            if number < self.prepared_lines:
                continue
            if line["kind"] == "begin":
                begun.add(line["run"])
            if line["kind"] == "removal":
                self.removed.add(self.name_in(line["open"], "path"))
            if line["kind"] == "end":
                ended.add(line["run"])
            if line["kind"] == "outcome":
                o = line["open"]
                name = self.name_in(o, "path")
                last[name] = line
                if line["act"] == "recover" and "trash" in o:
                    last_of_item[self.name_in(o, "trash")] = line
                if line["act"] == "compress" and line["result"] == "done":
                    self.ended.add(self.name_in(o, "into"))  # what it replaced, where it was told to
                if line["act"] in ("delete", "clear", "spoil", "take-back") and line["result"] in ("done", "unknown"):
                    self.ended.add(name)
                if line["act"] == "spoil" and ("overwrit" in json.dumps(o) or "a part of it" in json.dumps(o)):
                    self.ended.add(name)
                if line["act"] == "spoil":
                    self.ended |= {path for places in self.known.values() for _, path in places if path.startswith(name + "/") and name in self.ended}
                if line["act"] in ("delete", "clear") and (line["result"] in ("done", "unknown") or "a part of it" in json.dumps(o)):
                    self.ended |= {path for places in self.known.values() for _, path in places if path.startswith(name + "/")}
                if line["act"] == "twin" and line["result"] == "done":
                    self.ended.add(self.name_in(o, "into"))  # what it replaced
        if begun != ended:
            raise Wrong("runs without an end: %s" % (begun - ended))
        for path, line in last.items():
            act, result, kinds = line["act"], line["result"], now.get(path, set())
            into = self.name_in(line["open"], "into")
            if path.endswith("/tides/a") or path.endswith("/tides/b") or path.endswith("/tides") or path.endswith("/old"):
                continue
            done = {"discard": "trash" in kinds, "compress": bool(into) and "packed" in now.get(into, ()), "decompress": bool(into) and "tree" in now.get(into, ()),
                    "archive": "archive" in kinds or any("archive" in k for p, k in now.items() if p.endswith(os.path.relpath(path, self.at["site"]))),
                    "delete": "tree" not in kinds and "archive" not in kinds and ("trash" not in kinds or self.scenario.name != "age-in-trash"), "clear": "trash" not in kinds,
                    "recover": "tree" in kinds, "protect": os.path.exists(path) and bool(self.flags(path) or not os.lstat(path).st_mode & 0o222)}.get(act, True)
            if act == "recover":
                kinds = kinds | now.get(path.replace("/site/back/", "/site/"), set()) - {"tree"}  # --into
            left = {"discard": "tree" in kinds, "compress": "tree" in kinds, "decompress": "packed" in kinds, "archive": "tree" in kinds,
                    "delete": bool({"tree", "archive", "trash"} & kinds), "clear": "trash" in kinds,
                    "recover": "trash" in kinds or "archive" in kinds}.get(act, True)
            if result == "done" and not done:
                raise Wrong("the ledger says %s done, and it is not so: %s" % (act, path))
            if act == "recover" and last_of_item.get(self.name_in(line["open"], "trash"), line) is not line:
                continue  # it went by another name later
            if result in ("left", "refused") and not left:
                raise Wrong("the ledger says %s %s, and it is not so: %s (%s)" % (act, result, path, line.get("open", {}).get("reason", line.get("reason"))))
            if result == "left" and act == "recover" and path in self.given_back and "cut short" in json.dumps(line):
                raise Wrong("the ledger says recover left, and it was done: %s" % path)

    def check_verifies(self):
        """Once, in the end: no line of the ledger goes, so what would not have been sound before is not sound then."""
        if os.path.exists(self.at["state"] + "/olvido/ledger/checkpoint") and self.run(["audit", "verify"]) != 0:
            raise Wrong("the ledger does not verify: %s" % self.said)

    def look(self):
        self.check_ledger()
        self.check_contents()
        self.check_protection()
        self.check_debris()


# ---- points ----

class Bench:
    def __init__(self, world, options):
        self.world, self.options = world, options
        self.tried, self.failed, self.skipped = {}, [], 0

    def reference(self):
        w = self.world
        w.lay_out()
        if w.run(w.scenario.command) != 0:
            raise Wrong("undisturbed, it fails: %s" % w.said)
        w.look()
        self.undisturbed = w.picture()
        self.remaining = set(w.contents())
        self.reference_given = {x[2] for x in self.undisturbed if len(x) == 3 and x[1] == "tree"}

    def restore(self, what, at, report):
        """The state directory, or one database, is afterwards what it was at that call."""
        w = self.world
        state, earlier = w.at["state"] + "/olvido", w.path("earlier")
        shutil.rmtree(earlier, ignore_errors=True)
        hook = "test -e %s && cp -a %s %s" % (state, state, earlier)
        status = w.run(w.scenario.command, [os.environ["AT_CALL"], "--early", str(at), "--early-hook", hook, "--report", report, "--"])
        said, one = w.said, RESTORED[what]
        calls = int(open(report).read().split()[1])
        if not os.path.exists(earlier):
            return status, "reached nothing" if at <= calls else "passed", said
        if not one:
            shutil.rmtree(state)
            shutil.copytree(earlier, state)
        else:
            for end in ("", "-wal", "-shm"):
                for path in [state + "/" + one + end]:
                    if os.path.exists(path):
                        os.unlink(path)
                if os.path.exists(earlier + "/" + one + end):
                    shutil.copy2(earlier + "/" + one + end, state)
        return status, "reached call %d" % at, said

    def judge_restored(self):
        """What the run recorded is gone with the state: but no contents are lost that an undisturbed run does not end."""
        w = self.world
        for command in (["recover", "/nowhere/at/all"], w.scenario.command, ENFORCE):
            status = w.run(command)
            if status > 6:
                raise Wrong("status %d: %s" % (status, w.said))
            lost = set(w.known) - set(w.contents())
            may_go = set(w.known) - self.remaining
            if lost - may_go:
                raise Wrong("lost by %s: %s" % (command[0], [w.known[d] for d in lost - may_go]))

    def disturb(self, what, at, cut=()):
        w = self.world
        w.lay_out()
        report = w.path("report")
        if os.path.exists(report):  # that of the point before
            os.unlink(report)
        if what in RESTORED:
            return self.restore(what, at, report)
        do = "kill" if what == "clock" else what.split("-")[0]
        if what.startswith("power"):
            lost, early = cut, []
            if what == "power-part":
                lost = PLACES if at % 2 else cut
                early = ["--early", str(max(1, at - 1 - at * 7919 % LATELY)), "--early-hook", "sync -f " + " ".join(w.at[p] for p in cut)]
            hook = "cp --sparse=always %s %s" % (" ".join(w.path("images", p) for p in lost), w.path("cut"))
            status = w.run(w.scenario.command, [os.environ["AT_CALL"], "--at", str(at), "--hook", hook, "--report", report] + early + ["--"])
            reached = open(report, errors="replace").read().strip()
            if reached.startswith("reached"):
                w.lose(lost)
            return status, reached, w.said
        besides = [word for text in (w.at["state"], "Trash", "anon_inode", "socket:") for word in ("--besides", text)] if what == "lie" else []
        status = w.run(w.scenario.command, [os.environ["AT_CALL"], "--trace", KINDS[what], "--at", str(at), "--do", do, "--report", report] + besides + ["--"])
        reached = open(report, errors="replace").read().strip()
        return status, reached, w.said

    def judge_ahead(self):
        """Nothing expires while the clock is doubtful: what was given back is there afterwards."""
        w = self.world
        w.run(["recover", "/nowhere/at/all"], is_ahead=True)
        if w.scenario.after and not any(kind == "tree" for places in w.known.values() for kind, _ in places):
            given = {x[2] for x in w.picture() if len(x) == 3 and x[1] == "tree"}
            w.run(w.scenario.after, is_ahead=True)
            gone = given - {x[2] for x in w.picture() if len(x) == 3 and x[1] == "tree"}
            if gone and self.reference_given <= given:
                raise Wrong("given back, and taken again under a wrong clock: %s" % sorted(gone))

    def judge(self, what, status, said, reached):
        w = self.world
        w.tolerates = what.startswith("settle-") or "unlinkat" in reached and (".trashinfo" in reached or ".olvido-" in reached) and what not in DEAD
        if what in RESTORED:
            return self.judge_restored()
        if what in DEAD and status not in (137, 0):
            raise Wrong("status %d" % status)
        if what == "clock":
            self.judge_ahead()
        if what in ("int", "term", "hup") and status not in (4, 0):
            raise Wrong("status %d after a signal: %s" % (status, said))
        if status > 6 and what not in DEAD:
            raise Wrong("status %d: %s" % (status, said))
        if "nothing tells why" in said or (status == 0 and "Stopped:" in said):
            raise Wrong("status %d, and not said why: %s" % (status, said))
        if status == 5 and what != "lie":
            raise Wrong("told as damage: %s" % said)
        if w.run(["recover", "/nowhere/at/all"]) not in (0, 1, 2, 3):
            raise Wrong("the next command does not settle: %s" % w.said)
        w.look()
        if status == 0 and not what.startswith("settle-") and w.picture() != self.undisturbed:
            raise Wrong("status 0, but not all was done: %s\n%s" % (self.difference(), said))
        if w.scenario.after:
            before = w.picture()
            given = {p for d, k, p in (x for x in before if len(x) == 3) if k == "tree" and "newcomer" not in p}
            w.run(w.scenario.after)
            now = {x[2] for x in w.picture() if len(x) == 3 and x[1] == "tree"}
            if given - now:
                raise Wrong("given back, and taken again: %s" % sorted(given - now))
        originals = {x[2] for x in w.picture() if len(x) == 3 and x[1] == "tree"}
        done = w.run(w.scenario.command)
        is_loose = w.scenario.loose and (w.scenario.loose == "always" or (w.scenario.loose in w.said and len(originals) < len(w.scenario.files)))
        if not is_loose and done not in (0, 3) and "nothing in the trash or a depot matches" not in w.said:
            raise Wrong("repeated, it fails: %s" % w.said)
        w.look()
        if is_loose:
            return
        if w.scenario.once and what in DEAD + ("int", "term", "hup") and (w.run(w.scenario.command) != 0 or "nothing was due" not in w.said and "nothing to do" not in w.said):
            raise Wrong("done twice: %s" % w.said)
        if what not in DEAD and w.scenario.name.startswith("fetch"):
            return  # a directory whose own turn failed was made for what is in it
        if w.scenario.name == "spoil" and "utimensat" in reached:
            return  # what was overwritten looks new, and is not due
        if what.startswith("settle-") and any(line.get("result") == "unknown" or "cannot be taken back" in json.dumps(line) for line in w.lines()):
            return  # both may stand, and the ledger says so: it takes a person
        now = {x for x in w.picture() if not (w.tolerates and any("/.olvido-" in str(part) for part in x))}
        if now != self.undisturbed and not w.scenario.after:
            raise Wrong("repeated, it ends otherwise: %s" % self.difference())
        if w.scenario.after and {x for x in self.undisturbed if x[1] == "tree"} != {x for x in w.picture() if x[1] == "tree"}:
            raise Wrong("repeated, it ends otherwise: %s" % self.difference())

    def difference(self):
        now = self.world.picture()
        return "missing %s, too much %s" % (sorted(map(str, self.undisturbed - now))[:4], sorted(map(str, now - self.undisturbed))[:4])

    def offset(self, what):
        """What the loader does before the program begins is not ours."""
        if KINDS[what] == "changes" or what == "lie" or self.options.at:
            return 0
        report = self.world.path("report")
        subprocess.run([os.environ["AT_CALL"], "--trace", KINDS[what], "--report", report, "--", os.environ[self.world.scenario.program], "--version"],
                       stdout=subprocess.DEVNULL, env=self.world.env)
        return int(open(report).read().split()[1])

    def sweep_settling(self, what, stride):
        """Killed at each eighth of its calls; what settles that is disturbed at each of its own calls."""
        w, report, command = self.world, self.world.path("report"), ["recover", "/nowhere/at/all"]
        w.lay_out()
        w.run(w.scenario.command, [os.environ["AT_CALL"], "--report", report, "--"])
        calls = int(open(report).read().split()[1])
        for part in range(3, 9):
            kill, at = calls * part // 9 + 1, self.offset(what)
            while True:
                at += stride
                w.lay_out()
                w.run(w.scenario.command, [os.environ["AT_CALL"], "--at", str(kill), "--report", report, "--"])
                status = w.run(command, [os.environ["AT_CALL"], "--trace", KINDS[what], "--at", str(at), "--do", "EIO", "--report", report, "--"])
                reached = open(report, errors="replace").read().strip()
                if not reached.startswith("reached"):
                    break
                self.count(what, (), "%d after a kill at %d" % (at, kill), status, reached, w.said)

    def sweep(self, what):
        what, _, times = what.partition("*")
        if what.startswith("settle-"):
            return self.sweep_settling(what, self.options.stride * int(times or 1))
        for cut in CUTS if what == "power" else PARTS if what == "power-part" else [()]:
            self.sweep_one(what, cut, self.options.stride * int(times or 1))

    def sweep_one(self, what, cut, stride):
        w = self.world
        # each scenario begins at a call of its own, so that few points are not all among the first calls
        at = self.offset(what) + 1 - stride + zlib.crc32((w.scenario.name + what).encode()) % stride
        if self.options.at:
            at = self.options.at - stride
        while True:
            at += stride
            status, reached, said = self.disturb(what, at, cut)
            if not reached.startswith("reached") or (self.options.at and at > self.options.at):
                break
            if not self.count(what, cut, at, status, reached, said) and self.options.first:
                break

    def count(self, what, cut, at, status, reached, said):
        w = self.world
        self.tried[what] = self.tried.get(what, 0) + 1
        try:
            self.judge(what, status, said, reached)
            if what not in RESTORED:
                w.check_verifies()
            return True
        except (Wrong, subprocess.TimeoutExpired) as e:
            self.failed.append("%s: %s %s at %s (%s): %s" % (w.scenario.name, what, "+".join(cut), at, reached, e))
            if not self.options.quiet:
                print("FAILED", self.failed[-1], flush=True)
            if self.options.keep:
                input("the world is in %s; Enter goes on " % w.root)
            return False


def too_late(number, frame):
    raise TimeoutError("the time is over")


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("--do", default="kill")
    parser.add_argument("--stride", type=int, default=1)
    parser.add_argument("--slower", type=int, default=1, help="this many times fewer points")
    parser.add_argument("--only", default="")
    parser.add_argument("--within", type=int, default=0, help="ends after so many seconds, and says where it stood")
    parser.add_argument("--at", type=int, help="this one call only")
    parser.add_argument("--first", action="store_true", help="only the first failure of each kind")
    parser.add_argument("--keep", action="store_true")
    parser.add_argument("--together", action="store_true", help="all on one file system, for systems that know one trash only")
    parser.add_argument("--quiet", action="store_true", help="only the sums")
    parser.add_argument("--list", action="store_true")
    options = parser.parse_args()
    options.stride *= options.slower
    signal.signal(signal.SIGALRM, too_late)
    signal.alarm(options.within)
    chosen = [s for s in SCENARIOS if not options.only or s.name in options.only.split(",")]
    if options.list:
        print("\n".join(s.name for s in SCENARIOS))
        return 0
    tried, failed, causes = {}, 0, {}
    begin = time.time()
    kinds = options.do.split(",")
    powers, others = [",".join(k for k in kinds if k.startswith("power") == is_power) for is_power in (True, False)]
    for scenario, what in [(s, k) for s in chosen if s.only is None or s.only in kinds for k in (powers, others) if k]:
        world = World(scenario, what == powers, options.together)
        try:
            world.prepare()
            bench = Bench(world, options)
            try:
                bench.reference()
            except Wrong as e:
                print("FAILED %s: %s" % (scenario.name, e), flush=True)
                failed += 1
                continue
            for kind in what.split(","):
                if scenario.only in (None, kind) and scenario.never != kind:
                    bench.sweep(kind)
            failed += len(bench.failed)
            for f in bench.failed:
                cause = re.sub(r"/tmp/olvido-torture-[a-z0-9_]*|by-hand[0-9-]*|[0-9]{8}-[0-9]{4}-[a-z0-9]{4}", "*", f.split("): ", 1)[1])[:150]
                causes[scenario.name + ": " + cause] = causes.get(scenario.name + ": " + cause, 0) + 1
            for what, n in bench.tried.items():
                tried[what] = tried.get(what, 0) + n
            print("%-20s %s, %d wrong, %.0f s in all" % (scenario.name, ", ".join("%d %s" % (n, k) for k, n in bench.tried.items()), len(bench.failed), time.time() - begin), flush=True)
        finally:
            world.close()
    for what, n in sorted(causes.items(), key=lambda x: -x[1])[:40]:
        print("%5d x %s" % (n, what))
    for kind in [k.partition("*")[0] for k in kinds]:
        if not tried.get(kind):
            print("FAILED: not one point of %s was tried" % kind)
            failed += 1
    print("points tried: %s" % ", ".join("%d %s" % (n, k) for k, n in tried.items()))
    print("%d passed, %d failed" % (max(sum(tried.values()) - failed, 0), failed))
    return 1 if failed else 0


if __name__ == "__main__":
    if os.environ.get("OLVIDO_APART") != "1":
        os.environ["OLVIDO_APART"] = "1"
        os.execvp("unshare", ["unshare", "--mount", "--propagation", "private", sys.executable] + sys.argv)
    sys.exit(main())
