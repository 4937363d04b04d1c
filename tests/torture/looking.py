#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""Commands that only look, with one of their calls failing: they say the same as undisturbed, or they say why not.

    looking.py [--stride N] [--slower N] [--only COMMAND,...]

For each call that opens, reads, looks at a file or asks the system for something else (see at_call.c). What is quietly
less than undisturbed would be taken for all there is. Needs OLVIDO and AT_CALL.
"""
import argparse, os, re, shutil, subprocess, sys, tempfile, zlib

KINDS = ("opens", "reads", "looks", "rest")
POLICY = """olvido: 1
depots: { cold-room: { path: %(here)s/depot } }
rules:
  - { name: plots, under: %(here)s/plots, steps: [ { after: 30 days, do: discard } ] }
  - { name: readings, under: %(here)s/readings, steps: [ { after: 30 days, do: archive, depot: cold-room } ] }
"""
LOOKS = {
    "preview": "preview", "list": "preview --list", "enforce": "enforce --preview", "survey": "survey plots readings", "survey-list": "survey plots --list",
    "check": "check", "explain": "explain plots/b.csv", "explain-trash": "explain plots/a.csv", "explain-depot": "explain readings/c.csv",
    "items": "recover --list", "versions": "recover --versions readings/c.csv", "trash": "trash show", "clear": "trash clear --preview",
    "depot": "depot show", "depot-verify": "depot verify", "contents": "contents kept.tar", "audit": "audit show", "audit-path": "audit show --path plots/a.csv",
    "audit-verify": "audit verify",
}
# What cannot be read of an archive is damage, and is told as that.
MAY_BE_BROKEN = {"depot-verify": 5}


class World:
    def __init__(self):
        self.here = tempfile.mkdtemp(prefix="olvido-looking-")
        self.env = dict(os.environ, HOME=self.here, XDG_DATA_HOME=self.here + "/data", TZ="UTC", ASAN_OPTIONS="detect_leaks=0:abort_on_error=0")
        for place in ("plots", "readings", "depot"):
            os.mkdir(os.path.join(self.here, place))
        with open(self.here + "/policy.yaml", "w") as f:
            f.write(POLICY % {"here": self.here})
        self.write("plots/a.csv", "readings/c.csv", "readings/d.csv")
        self.must("archive readings --keep --to kept.tar --yes", "enforce --yes")
        self.write("plots/b.csv", "readings/c.csv")

    def write(self, *names):
        for number, name in enumerate(names):
            path = os.path.join(self.here, name)
            with open(path, "w") as f:
                f.write("high water at %s\n" % name * 20)
            os.utime(path, (1500000000 + number, 1500000000 + number))

    def words(self, command):
        return [os.environ["OLVIDO"], "--state", self.here + "/state", "--policy", self.here + "/policy.yaml"] + command.split()

    def must(self, *commands):
        for command in commands:
            subprocess.run(self.words(command), cwd=self.here, env=self.env, check=True, stdout=subprocess.DEVNULL)

    def run(self, command, *before):
        done = subprocess.run(list(before) + self.words(command), cwd=self.here, env=self.env, stdin=subprocess.DEVNULL,
                              stdout=subprocess.PIPE, stderr=subprocess.PIPE, timeout=120)
        return done.returncode, done.stdout.decode(errors="replace"), done.stderr.decode(errors="replace")

    def passed(self, command, kind):
        """How many calls of the kind it makes, undisturbed."""
        report = self.here + "/report"
        if subprocess.run([os.environ["AT_CALL"], "--trace", kind, "--report", report, "--"] + command, cwd=self.here, env=self.env,
                          stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL).returncode == 77:
            sys.exit(77)  # at_call does not know this processor
        return int(open(report).read().split()[1])


def same(text):
    return re.sub(r"as of [-0-9: ]+|\"(as_of|now)\":\"[^\"]+\"", "now", text)


def wrong(name, status, out, err, undisturbed):
    if "nothing tells why" in err or status > 6 or status < 0:
        return "status %d: %s" % (status, err)
    if status == 5 and MAY_BE_BROKEN.get(name) != 5:
        return "told as damage: %s%s" % (out, err)
    if status and not (err.strip() or status == 5):
        return "status %d, and not said why" % status
    if status == 0 and same(out) != undisturbed and not err.strip() and "nothing tells whether" not in out:
        return "quietly something else: %s" % out
    return None


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("--stride", type=int, default=1)
    parser.add_argument("--slower", type=int, default=1, help="this many times fewer points")
    parser.add_argument("--only", default="")
    options = parser.parse_args()
    world, tried, failed, stride = World(), 0, 0, options.stride * options.slower
    for name, command in LOOKS.items():
        if options.only and name not in options.only.split(","):
            continue
        status, out, err = world.run(command)
        if status not in (0, 1):
            sys.exit("undisturbed, %s fails: %s" % (command, err))
        for kind in KINDS:
            loader, calls = world.passed([os.environ["OLVIDO"], "--version"], kind), world.passed(world.words(command), kind)
            for at in range(loader + 1 + zlib.crc32((name + kind).encode()) % stride, calls + 1, stride):
                report = world.here + "/report"
                said = world.run(command, os.environ["AT_CALL"], "--trace", kind, "--at", str(at), "--do", "EIO", "--report", report, "--")
                what = wrong(name, *said, same(out))
                reached = open(report, errors="replace").read().strip()
                if " /etc/" in reached:
                    continue  # names of accounts, of which their numbers are told then
                tried += 1
                if what:
                    failed += 1
                    print("FAILED %s: %s at %d (%s): %s" % (name, kind, at, reached, what), flush=True)
    shutil.rmtree(world.here)
    print("points tried: %d\n%d passed, %d failed" % (tried, tried - failed, failed))
    return failed > 0


if __name__ == "__main__":
    sys.exit(main())
