# SPDX-License-Identifier: Apache-2.0
# Two depots on two fresh file systems: their archives have the same inode numbers. What is due in one must go
# from that one alone, and what comes back must be what was put in.
set -e
. "$OLVIDO_SOURCE"/tests/command/scripts/images.sh
image one; image two
mkdir -p tides/a tides/b kept
for i in 1 2 3 4 5 6; do echo "north $i" >tides/a/g$i; echo "south $i" >tides/b/g$i; done
touch -d '100 days ago' tides/a/g1 tides/b/g2
cp -a tides kept
cat >policy.yaml <<P
olvido: 1
depots: { first: { path: $PWD/one, pack: tar }, second: { path: $PWD/two, pack: tar } }
rules:
  - { name: due, under: $PWD/tides, where: name = "g1" or name = "g2", steps: [ { after: 50 days, do: delete } ] }
P
O="$O --policy policy.yaml"
$O archive tides/a --depot first -y >out
$O archive tides/b --depot second -y >out
[ "$(stat -c %i one/*.tar)" = "$(stat -c %i two/*.tar)" ] || { echo 'the inodes differ, so nothing is tried'; exit 1; }
# both at once, in one vault
$O recover tides --into back >out
diff -r back kept/tides >diff || diff -r back/tides kept/tides || { ls -R back; exit 1; }
mkdir -p tides
$O enforce --yes >out
grep -q '2 deleted' out
$O depot verify >out
! $O recover --list --json >list || true
for f in a/g2 a/g3 b/g1 b/g3; do grep -q "\"path\":\"$PWD/tides/$f\"" list || { echo "$f is gone"; cat list; exit 1; }; done
for f in a/g1 b/g2; do ! grep -q "\"path\":\"$PWD/tides/$f\"" list || { echo "$f is still there"; exit 1; }; done
for f in a/g2 a/g3 b/g1 b/g3; do
    $O recover $PWD/tides/$f >out
    cmp tides/$f kept/tides/$f
done
