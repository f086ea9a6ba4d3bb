#!/bin/sh
# Makes a folder of wheels of back ends out of Debian's packages: backends.sh FOLDER
# Debian's setuptools is changed for Debian's own layout, which other Pythons do not know:
# that change is taken back, by Debian's own patch.
set -eu
to=$1
here=$(cd "$(dirname "$0")" && pwd)
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir -p "$to"
cd "$work"
apt-get -qq -o APT::Sandbox::User=root download python3-setuptools-whl python3-wheel-whl
for deb in *.deb; do
    dpkg-deb -x "$deb" tree
done
cp tree/usr/share/python-wheels/wheel-*.whl "$to/"
whl=$(ls tree/usr/share/python-wheels/setuptools-*.whl)
mkdir source
"$here/fetch.sh" "$work/source" setuptools >/dev/null || true
tar -xf source/setuptools_*.debian.tar.xz
mkdir unpacked
(cd unpacked && unzip -q "../$whl")
# The last first; what concerns no file of the wheel fails, and changes nothing.
grep '^[a-z].*diff$' debian/patches/series | tac | while read -r name; do
    patch -s -R -d unpacked -p1 -f --no-backup-if-mismatch <"debian/patches/$name" >/dev/null 2>&1 || true
done
if grep -rq install_layout unpacked/setuptools; then
    echo "Debian's change could not be taken back" >&2
    exit 1
fi
(cd unpacked && python3 - "$to/$(basename "$whl")" <<'PY'
import base64, hashlib, os, sys, zipfile
info = next(d for d in os.listdir(".") if d.endswith(".dist-info"))
names = sorted(os.path.relpath(os.path.join(d, f), ".") for d, _, fs in os.walk(".") for f in fs)
record = ""
with zipfile.ZipFile(sys.argv[1], "w") as z:
    for n in names:
        if n.endswith((".orig", ".rej")) or n == info + "/RECORD":
            continue
        data = open(n, "rb").read()
        z.writestr(n, data)
        record += "%s,sha256=%s,%d\n" % (n, base64.urlsafe_b64encode(hashlib.sha256(data).digest()).rstrip(b"=").decode(), len(data))
    z.writestr(info + "/RECORD", record + info + "/RECORD,,\n")
PY
)
