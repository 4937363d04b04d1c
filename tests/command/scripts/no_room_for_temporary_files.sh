# SPDX-License-Identifier: Apache-2.0
# Without any room in /tmp and in the state directory every command still sees what there is, and what frees room
# works.
set -e
mkdir -p state tides/scratch tmp
mount -t tmpfs -o size=4k none tmp
mount -t tmpfs -o size=12m,mode=700 none state
for i in $(seq 300); do echo "$i" >tides/scratch/$i.tmp; done
touch -d '100 days ago' tides/scratch/*
cat >policy.yaml <<P
olvido: 1
rules: [ { name: scratch, under: $PWD/tides/scratch, steps: [ { after: 30 days, do: delete } ] } ]
P
$O --policy policy.yaml preview >out   # makes no state
$O recover /nowhere >out 2>err || true # makes the state, with its reserve
[ -e state/reserve ]
dd if=/dev/zero of=state/full bs=4k 2>dd || true
dd if=/dev/zero of=tmp/full bs=4k 2>dd || true
! echo x >state/more 2>dd
export TMPDIR=$PWD/tmp
$O --policy policy.yaml preview >out; grep -q '300 files are due' out
$O --policy policy.yaml enforce --yes --count 300 >out 2>err || { cat out err; exit 1; }
grep -q '300 deleted' out
[ "$(ls tides/scratch | wc -l)" = 0 ]
rm state/full
$O audit verify >out
