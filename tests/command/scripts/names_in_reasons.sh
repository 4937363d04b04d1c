# SPDX-License-Identifier: Apache-2.0
# A name that is no text, or would speak to the terminal, in the reason of a refusal: the run goes on, the ledger
# has the name as it is, and what is printed does no harm.
mkdir -p tides/scratch
n=$(printf 'odd\377\033]0;pwned\007.tmp')
echo one >"tides/scratch/$n"; echo two >tides/scratch/b.tmp
touch -d '100 days ago' tides/scratch/*
cat >policy.yaml <<P
olvido: 1
rules: [ { name: scratch, under: $PWD/tides/scratch, steps: [ { after: 30 days, do: discard } ] } ]
P
O="$O --policy policy.yaml"
$O enforce --yes >out 2>err || { cat out err; exit 1; }
echo newcomer >"tides/scratch/$n"
$O recover tides >out 2>err
s=$?
[ $s = 3 ] || { echo "status $s"; cat out err; exit 1; }
[ -e tides/scratch/b.tmp ] || { echo 'the other one did not come back'; cat out err; exit 1; }
! grep -q "$(printf '\033')" out err || { echo 'an escape sequence got through'; exit 1; }
$O audit verify >out || { cat out; exit 1; }
$O compress "tides/scratch/$n" --keep --if-exists refuse >out 2>err; $O compress "tides/scratch/$n" --keep >out 2>err
! grep -q "$(printf '\033')" out err || { echo 'an escape sequence got through'; exit 1; }
$O audit show >out; ! grep -q "$(printf '\033')" out
$O audit show --json | /usr/bin/python3 -c 'import sys, json; [json.loads(l) for l in sys.stdin]'
