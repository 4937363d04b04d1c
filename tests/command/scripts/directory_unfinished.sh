# SPDX-License-Identifier: Apache-2.0
# A recovered directory that cannot be given its mode has failed, whatever became of the files in it; and it gets its
# mode when it is recovered again.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy tell 'kind = file'
mkdir t/b
echo 1 >t/b/f
chmod 750 t/b
status 0 $O archive t --depot cold-room -y
[ ! -e t ] || fail 'it is not archived'
faulty error=EIO $PWD/t/b fchown,fchmod $O recover $PWD/t
[ $s = 1 ] && grep -q INJECTED trace || fail "it says all is well: status $s"
grep -q ' 1 failed' out && grep -q 't/b: cannot give it' err || fail 'it is not told'
[ "$(stat -c %a t/b)" = 700 ] && [ -e t/b/f ] || fail 'the mode before'
$O recover $PWD/t --if-exists skip >out 2>err || true # what is there already is skipped
[ "$(stat -c %a t/b)" = 750 ] || fail 'it stays as it was'
