# SPDX-License-Identifier: Apache-2.0
# Rules about places within Olvido's own places take nothing there, through whatever path, and `check` says so; nor does
# anything by hand.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy discard 'kind = file'
old t/r.csv t/s.csv
status 0 $O enforce --yes
policy 'archive, depot: cold-room' 'kind = file'
old t/u.csv
status 0 $O enforce --yes
mkdir seen depot/sub
old depot/sub/x.csv
mount --bind state seen 2>/dev/null || rmdir seen
find state data depot -exec touch -h -d '400 days ago' {} +
find state data depot -type f | sort | xargs sha256sum >before
for place in state/keys state/ledger state/runs data/Trash/files data/Trash depot/sub depot seen/keys; do
    [ -d $place ] || continue
    for act in discard compress delete 'archive, depot: cold-room'; do
        printf 'olvido: 1\ndepots: { cold-room: { path: %s/depot } }\nrules:\n  - { name: own, under: %s, steps: [ { after: 30 days, do: %s } ] }\n' \
            $PWD $PWD/$place "$act" >policy.yaml
        status 0 $O check
        grep -q "own places" out err || fail "check does not tell of $place"
        status 0 $O enforce --yes
        grep -q 'othing was due' out || fail "$act in $place"
    done
    for file in $(find $place -type f | head -3); do
        $O compress $file --yes >out 2>err && fail "compress $file"
        $O archive $file --to x.tar --yes >out 2>err && fail "archive $file"
    done
done
find state data depot -type f | sort | xargs sha256sum >after || true
grep -v 'state/\(ledger\|runs\|catalogue\|state.db\|clock\|rules\|lock\|reserve\|version\)' before >before-kept
while read -r sum path; do
    [ "$(sha256sum <$path)" = "$sum  -" ] || fail "$path is another"
done <before-kept
for path in $(awk '{ print $2 }' before); do [ -e $path ] || fail "$path is gone"; done
status 0 $O audit verify
! mountpoint -q seen || umount seen
