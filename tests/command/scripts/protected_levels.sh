# SPDX-License-Identifier: Apache-2.0
# What each level keeps off, for root too, and that lifting gives back exactly what was taken.
refused() { ! "$@" 2>/dev/null || fail "was possible: $*"; }
mkdir -p office/permits; echo 1 >office/permits/a; echo 2 >office/permits/b; echo log >office/log; echo m >office/mode
chmod 4664 office/mode; setfacl -m u:daemon:rw office/mode 2>/dev/null || true
before=$(stat -c %a office/mode; getfacl -cn office/mode 2>/dev/null || true)

status 0 $O protect office/permits/a --as frozen; says '1 protected'
refused rm -f office/permits/a; refused mv office/permits/a office/x; refused ln office/permits/a office/y
refused sh -c 'echo x >>office/permits/a'; refused chmod 600 office/permits/a; refused touch office/permits/a
status 3 $O delete office/permits/a; says 'it is immutable'; says 'olvido unprotect'
status 3 $O discard office/permits/a; [ "$(cat office/permits/a)" = 1 ] || fail 'not whole'
status 0 $O protect office/permits/a --as frozen

status 0 $O protect office/log --as append-only; echo more >>office/log
refused sh -c ': >office/log'; refused rm -f office/log
status 3 $O delete office/log; says 'it is append-only'

status 0 $O protect office/mode --as readonly; case $(stat -c %a office/mode) in *4) ;; *) fail 'writable' ;; esac
[ "$(stat -c %a office/mode)" = 4444 ] || fail "mode $(stat -c %a office/mode)"

# Nothing below a directory inherits its level.
status 0 $O protect office/permits --as append-only --yes; echo 3 >office/permits/c; mkdir office/permits/d
refused mv office/permits/c office/permits/e; refused rmdir office/permits/d; refused rm office/permits/c
status 0 $O protect --show .; says 'office/permits/a'; says 'append-only'; says 'by hand'
status 0 $O protect --show office/permits/b; says 'nothing is protected'

status 0 $O unprotect office --tree --yes; says '3 files and 1 directory unprotected'
[ "$(stat -c %a office/mode; getfacl -cn office/mode 2>/dev/null || true)" = "$before" ] || fail 'another mode by now'
rm office/permits/c; mv office/permits/d office/d; rm office/permits/a; : >office/log
status 0 $O protect --show .; says 'nothing is protected'
status 3 $O unprotect office/log; says 'it is not protected'

# A run is taken back as a whole.
status 0 $O protect office --tree --as frozen --yes
run=$($O --json audit show --act protect | sed -n 's/.*"run":"\([^"]*\)".*/\1/p' | tail -n 1)
refused touch office/new
status 0 $O recover --run "$run"; touch office/new; rm -r office
status 0 $O audit verify
