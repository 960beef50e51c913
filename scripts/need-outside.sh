#!/bin/sh
# Programs whose files the tests read, from Debian, installed when missing.
set -eu
for tool in ffmpeg /usr/bin/convert oiiotool dcraw_emu exrheader gm; do
    command -v "$tool" >/dev/null || missing=yes
done
[ "${missing:-no}" = no ] && exit 0
echo "Installing the programs whose files the tests read …"
apt-get update -qq
DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends \
    ffmpeg imagemagick graphicsmagick openimageio-tools libraw-bin openexr >/dev/null
