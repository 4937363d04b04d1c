# SPDX-License-Identifier: Apache-2.0
# Somebody who is not root looks at his own directories without a trace, though others refuse that; and what had to be
# read with a trace is said once for the mount.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
chmod 755 .
mkdir -p theirs/a theirs/b mine/a mine/b home
echo tide >theirs/a/r.csv
echo tide >mine/a/r.csv
chown -R 65534:65534 mine home
somebody() { HOME=$PWD/home XDG_DATA_HOME=$PWD/home setpriv --reuid=65534 --regid=65534 --clear-groups "${O%% *}" --state $PWD/home/state "$@"; }
quiet_since() { find mine theirs -exec touch -d '400 days ago' {} +; }
seen() { find $1 -type d -newerat '300 days ago' | wc -l; }
[ "$(findmnt -n -o OPTIONS -T . | grep -c noatime)" = 0 ] || { echo 'skipped: no access times here'; exit 0; }

for places in "theirs mine" "mine theirs"; do
    quiet_since
    status 0 somebody survey $places
    [ $(seen theirs) = 3 ] || fail 'looking leaves no trace, so nothing is tried'
    [ $(seen mine) = 0 ] || fail "$places: his own directories are young again"
    [ $(grep -c 'directories of others are read here, which changes their access times' err) = 1 ] ||
        fail "$places: not said once"
done
quiet_since
status 0 somebody survey mine
grep 'access times' err && fail 'it is said of his own' || true
status 0 $O survey theirs mine
[ $(seen theirs) = 0 ] || fail 'root leaves a trace'
grep 'access times' err && fail 'it is said to root' || true

printf 'olvido: 1\nlimits: { files: 9 }\nrules:\n' >policy.yaml
for place in theirs mine; do
    printf '  - { name: %s, under: %s/%s, where: kind = directory, age-from: accessed, steps: [ { after: 1 year, do: tell } ] }\n' \
        $place $PWD $place >>policy.yaml
done
status 0 somebody check policy.yaml
grep -q 'rule theirs:.*looking at it changes its access times' out err || fail 'check does not warn'
grep 'rule mine:.*looking at it' out err && fail 'check warns of his own' || true
quiet_since
for look in first second; do # which the first has not made young
    status 0 somebody --policy policy.yaml preview --rule mine
    grep -q '^1 file and 2 directories are due' out || fail "at the $look look not two are due"
done
status 0 somebody --policy policy.yaml enforce --yes # a refusal is no weaker way of this system
[ -z "$(grep -o '"weaker":"[^"]*' home/state/ledger/lines-*)" ] || fail 'it goes a weaker way'
