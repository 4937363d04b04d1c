# SPDX-License-Identifier: Apache-2.0
# An attribute that cannot be copied keeps the original: nothing goes without what belonged to it.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy tell 'kind = file'
seq 9000 >t/r.csv
setfattr -n user.gauge -v north t/r.csv 2>/dev/null || exit 0 # none here
lack_attributes() { # COMMAND WHAT-STAYS WHAT-IS-NOT-MADE
    s=0
    strace -f -qq -o trace -e trace=fsetxattr -e inject=fsetxattr:error=EIO $O $1 t --yes >out 2>err || s=$?
    grep -q INJECTED trace && [ $s = 1 ] || fail "$1: status $s"
    [ -e $2 ] && [ ! -e $3 ] || fail "$1: the original went"
    [ -z "$(ls -A t | grep olvido)" ] || fail "$1: debris"
}
lack_attributes compress t/r.csv t/r.csv.zst
status 0 $O compress t --yes
[ "$(getfattr --only-values -n user.gauge t/r.csv.zst)" = north ] || fail 'the attribute is lost'
lack_attributes decompress t/r.csv.zst t/r.csv
status 0 $O decompress t --yes
[ "$(getfattr --only-values -n user.gauge t/r.csv)" = north ] || fail 'the attribute is lost'
