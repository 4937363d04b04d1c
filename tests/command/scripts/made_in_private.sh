# SPDX-License-Identifier: Apache-2.0
# Links, pipes, devices and directories that root makes in a directory of another user get their owner, mode and times
# where nobody else has a hand, and their names by one rename: no call sets anything by a name in that directory.
. "$OLVIDO_SOURCE/tests/command/scripts/readings.sh"
policy tell 'kind = file'
mkdir -p t/d
ln -s nowhere t/link
mkfifo t/pipe
mknod t/device c 1 3
echo x >t/file
ln t/file t/second
status 0 $O archive t --keep --depot cold-room --yes
tar -C t -cf strange.tar d link pipe device file second
for command in "extract strange.tar --owners --devices" "recover $PWD/t/d $PWD/t/link $PWD/t/pipe $PWD/t/device"; do
    rm -rf h
    mkdir h
    chown 4242 h
    s=0
    strace -f -y -qq -o trace -e trace=fchownat,fchmodat,utimensat,symlinkat,mknodat,mkdirat,linkat,setxattr,chmod,lchown \
        $O $command --into h >out 2>err || s=$?
    [ $s = 0 ] || fail "$command: status $s"
    [ -L h/link ] && [ -p h/pipe ] && [ -c h/device ] && [ -d h/d ] || fail "$command: not all is there"
    grep -q '\.room>, "part"' trace || fail "$command: no room was used"
    by_name=$(grep "<$PWD/h>, \"[^\"]" trace | grep -v 'mkdirat.*\.room", 0700' | grep -v AT_EMPTY_PATH | head -3)
    [ -z "$by_name" ] || fail "$command: $by_name"
    [ -z "$(find h -name '.olvido*')" ] || fail "$command: something is left lying"
done
