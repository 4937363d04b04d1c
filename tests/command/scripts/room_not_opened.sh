# SPDX-License-Identifier: Apache-2.0
# In a directory of everybody a private room is made for what goes, and then no descriptor is left to open it: the file
# stays, and no room does.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy delete 'kind = file'
everybodys
status 0 strace -f -qq -o trace -e trace=openat $O enforce --yes
call=$(which_call '\.room"')
[ -n "$call" ] || fail 'no room was opened'
everybodys
status 1 strace -f -qq -o trace -e trace=openat -e inject=openat:error=EMFILE:when=$call $O enforce --yes
grep -q '\.room.*INJECTED' trace || fail "it was not the call $call"
grep -q 'private directory' out err || fail 'nobody told of the directory'
[ "$(ls -A t)" = r.csv ] || fail "left lying: $(ls -A t)"
