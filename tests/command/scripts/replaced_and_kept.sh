# SPDX-License-Identifier: Apache-2.0
# compress --if-exists replace, where the original cannot go: what was to be replaced is there as before.
set -e
. "$OLVIDO_SOURCE"/tests/command/scripts/images.sh
image disk
seq 3000 >disk/r.csv; echo precious >disk/r.csv.zst; cp disk/r.csv kept
chattr +i disk/r.csv 2>/dev/null
$O compress disk/r.csv --if-exists replace -y >out 2>err && { echo 'it says all is well'; cat out err; exit 1; }
chattr -i disk/r.csv
cmp disk/r.csv kept
[ "$(cat disk/r.csv.zst)" = precious ] || { echo 'what was there is lost'; ls -la disk; exit 1; }
[ "$(ls -A disk | grep -c olvido)" = 0 ]
# and where it can go, the new one takes its place
$O compress disk/r.csv --if-exists replace -y >out
[ ! -e disk/r.csv ] && [ "$(cat disk/r.csv.zst | head -c 8)" != precious ]
[ "$(ls -A disk | grep -c olvido)" = 0 ]
