# SPDX-License-Identifier: Apache-2.0
# State, trash and depot lie on one disk, and that is full: whoever looks sees all of it, and what frees room goes.
set -e
top=$PWD
mkdir full
mount -t tmpfs -o size=40m tmpfs full
trap 'cd /; umount -l "$top/full"' EXIT
cd full
export XDG_DATA_HOME=$PWD/data
O="$OLVIDO --state $PWD/state --policy $PWD/policy.yaml"
mkdir tides depot
for i in 1 2 3 4 5 6; do
    head -c 200000 /dev/urandom >tides/gauge-$i.csv
    head -c 500000 /dev/urandom >tides/plot-$i.tmp
done
touch -d '100 days ago' tides/*
cat >policy.yaml <<POLICY
olvido: 1
limits: { files: 100 }
depots: { cold: { path: $PWD/depot } }
rules:
  - { name: gauges, under: $PWD/tides, where: 'name like "*.csv"', steps: [ { after: 30 days, do: archive, depot: cold } ] }
  - { name: plots, under: $PWD/tides, where: 'name like "*.tmp"', steps: [ { after: 30 days, do: discard } ] }
POLICY
$O enforce --yes
$O recover $PWD/tides/gauge-1.csv
[ -e state/state.db ] && [ -e state/catalogue.db ]
fill() {
    cat /dev/zero >>filler || true
    [ "$(df --output=avail . | tail -n 1)" -eq 0 ]
}
fill
$O trash show | grep '6 items'
$O recover --list | grep '12 items'
$O preview
$O depot show | grep '1 archive'
$O depot verify | grep Sound
$O explain tides/gauge-1.csv | grep 'recovered within the last 30 days'
$O explain tides/gauge-2.csv | grep 'the depot cold'
$O audit verify
fill
$O trash clear --yes --count 6 | grep '6 removed for good'
$O audit verify
[ -z "$(ls data/Trash/files)" ]
