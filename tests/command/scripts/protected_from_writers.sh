# SPDX-License-Identifier: Apache-2.0
# What is open or mapped for writing. $1: the file system.
helpers=; trap 'kill $helpers 2>/dev/null' EXIT
echo 1 >data; echo 1 >log; echo 1 >mapped; head -c 8192 /dev/zero >pages
(exec 7>>log; exec 8<>data; : >"$top/begun"; until [ -e "$top/end" ]; do sleep 0.02; done) >/dev/null 2>&1 &
writer=$!; helpers="$helpers $writer"
until [ -e "$top/begun" ]; do sleep 0.02; done
status 3 $O protect data --as frozen; says 'open or mapped for writing: '; says "(process "
[ "$(lsattr data | cut -c5)" = - ] || fail 'frozen all the same'
status 3 $O protect data --as frozen --open-too; says 'open or mapped for writing: '
status 3 $O protect data --as append-only; says 'without appending'; says '(process '
status 0 $O protect log --as append-only; says '1 protected'
status 3 $O protect data --as readonly; says 'open or mapped for writing'
status 0 $O protect data --as append-only --open-too; says 'goes on writing as before'
# One who reads is not in the way.
exec 9<pages; status 0 $O protect pages --as frozen; exec 9<&-; status 0 $O unprotect pages
: >"$top/end"; wait $writer; status 0 $O unprotect data log

# A map is seen after its descriptor was closed.
cat >"$top/map.py" <<'P'
import ctypes, os, sys, time
fd = os.open(sys.argv[1], os.O_RDWR)
mmap = ctypes.CDLL(None).mmap; mmap.restype = ctypes.c_void_p
mmap.argtypes = [ctypes.c_void_p, ctypes.c_size_t, ctypes.c_int, ctypes.c_int, ctypes.c_int, ctypes.c_long]
mmap(None, 4096, 3, 1, fd, 0); os.close(fd)
open(sys.argv[2], 'w').close()
while not os.path.exists(sys.argv[3]): time.sleep(0.02)
P
/usr/bin/python3 "$top/map.py" pages "$top/mapped" "$top/unmap" >/dev/null 2>&1 &
mapper=$!; helpers="$helpers $mapper"
until [ -e "$top/mapped" ]; do sleep 0.02; done
if [ "$1" = overlay ]; then
    status 0 $O protect pages --as frozen; says 'on an overlay nobody can tell whether it is mapped'; status 0 $O unprotect pages
else
    status 3 $O protect pages --as frozen; says 'open or mapped for writing'
    status 3 $O protect pages --as append-only; says 'cannot be seen has it open or mapped'
fi
: >"$top/unmap"; wait $mapper
status 0 $O protect pages --as frozen; status 0 $O unprotect pages

# What was opened before goes on writing, but on ext4; that is why it is refused.
(exec 7<>data; : >"$top/open"; until [ -e "$top/set" ]; do sleep 0.02; done
 (echo through >&7) 2>/dev/null && echo writes >"$top/went" || echo fails >"$top/went") >/dev/null 2>&1 &
writer=$!; helpers="$helpers $writer"
until [ -e "$top/open" ]; do sleep 0.02; done
chattr +i data; : >"$top/set"; wait $writer; chattr -i data
[ "$(cat "$top/went")" = "$([ "$1" = ext4 ] && echo fails || echo writes)" ] || fail "it $(cat "$top/went")"
