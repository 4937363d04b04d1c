# SPDX-License-Identifier: Apache-2.0
# Whoever sees one of the names that a run uses cannot tell the next one, and so cannot take it first.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy delete 'kind = file'
old t/a/r.csv t/b/s.csv t/c/u.csv # a room for each directory
chmod 1777 t/a t/b t/c
status 0 strace -f -qq -o trace -e trace=mkdirat $O enforce --yes
sed -n 's/.*"\(\.olvido-[^"]*\)".*/\1/p' trace >names
[ $(sort -u names | wc -l) = 3 ] || fail "$(cat names)"
[ $(grep -c -x '\.olvido-[0-9a-f]\{20\}\.room' names) = 3 ] || fail "$(cat names)"
