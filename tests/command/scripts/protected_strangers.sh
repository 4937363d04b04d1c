# SPDX-License-Identifier: Apache-2.0
# What somebody else set stays, what somebody else lifted is said, and a lost state directory is no dead end.
for n in was lifted again added mode; do echo $n >$n; done
chattr +i was
status 0 $O protect was lifted again added --as frozen --yes; status 0 $O protect mode --as readonly
chattr -i lifted again added; chattr +i again; chattr +a added; chattr +i added; chmod 464 mode
status 0 $O unprotect was; says 'it stays frozen, as it was before'; [ "$(lsattr was | cut -c5)" = i ] || fail 'lifted: was'
status 0 $O unprotect lifted; says 'it was not frozen any more'
status 3 $O unprotect again; says '--anyway'; [ "$(lsattr again | cut -c5)" = i ] || fail 'lifted: again'
status 0 $O unprotect --anyway --yes again; [ "$(lsattr again | cut -c5)" = - ] || fail 'not lifted'
status 3 $O unprotect added; status 0 $O unprotect --anyway --yes added; rm added
status 0 $O unprotect mode; says 'somebody else changed its mode'; [ "$(stat -c %a mode)" = 664 ] || fail "mode $(stat -c %a mode)"
status 3 $O unprotect was; says 'Olvido does not know of it'; status 3 $O unprotect --anyway was
status 0 $O unprotect --anyway --yes was; rm was

echo x >lost; status 0 $O protect lost --as frozen; O="${O%state}other"
status 3 $O unprotect lost; says 'Olvido does not know of it: --anyway'
status 0 $O protect --show lost; says 'not by Olvido'
status 0 $O unprotect lost --anyway --yes; rm lost
