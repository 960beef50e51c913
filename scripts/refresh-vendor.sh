#!/bin/sh
# Fetches the pinned front-end files from npm into src/upwelling/web/static/vendor, each with its licence,
# and writes manifest.json. Run it after changing a version below; the result is committed.
set -eu
cd "$(dirname "$0")/.."
vendor=$PWD/src/upwelling/web/static/vendor
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

take() { # package version file-in-package file-in-vendor licence-id licence-file
    if [ ! -d "$work/$(echo "$1" | tr '/@' '__')" ]; then
        mkdir -p "$work/$(echo "$1" | tr '/@' '__')"
        (cd "$work" && tar -xzf "$(npm pack --silent "$1@$2")" -C "$work/$(echo "$1" | tr '/@' '__')" --strip-components=1)
    fi
    from="$work/$(echo "$1" | tr '/@' '__')"
    mkdir -p "$(dirname "$vendor/$4")"
    case "$4" in
        *.woff2) cp "$from/$3" "$vendor/$4" ;;
        *) grep -v '^//# sourceMappingURL\|^/\*# sourceMappingURL' "$from/$3" > "$vendor/$4" ;;
    esac
    licence="$(dirname "$4")/LICENSE"
    if [ -n "$6" ] && [ -f "$from/$6" ]; then cp "$from/$6" "$vendor/$licence"; fi
    sum=$(sha256sum "$vendor/$4" | cut -d' ' -f1)
    printf '%s  {"file": "%s", "package": "%s", "version": "%s", "licence": "%s", "licence_file": "%s", "sha256": "%s"}' \
        "$comma" "$4" "$1" "$2" "$5" "$licence" "$sum" >> "$work/manifest"
    comma=',
'
}

rm -rf "$vendor"
mkdir -p "$vendor"
comma=''
printf '[\n' > "$work/manifest"
take bootstrap 5.3.9 dist/css/bootstrap.min.css bootstrap/bootstrap.min.css MIT LICENSE
take @alpinejs/csp 3.17.4 dist/cdn.min.js alpine/alpine-csp.min.js MIT LICENSE.md
take @fontsource-variable/spline-sans 5.3.0 files/spline-sans-latin-wght-normal.woff2 spline-sans/spline-sans-latin.woff2 OFL-1.1 LICENSE
take @fontsource-variable/spline-sans 5.3.0 files/spline-sans-latin-ext-wght-normal.woff2 spline-sans/spline-sans-latin-ext.woff2 OFL-1.1 LICENSE
take @fontsource-variable/spline-sans-mono 5.3.0 files/spline-sans-mono-latin-wght-normal.woff2 spline-sans-mono/spline-sans-mono-latin.woff2 OFL-1.1 LICENSE
take @fontsource-variable/spline-sans-mono 5.3.0 files/spline-sans-mono-latin-ext-wght-normal.woff2 spline-sans-mono/spline-sans-mono-latin-ext.woff2 OFL-1.1 LICENSE
printf '\n]\n' >> "$work/manifest"
cp "$work/manifest" "$vendor/manifest.json"
cp scripts/alpine-LICENSE.txt "$vendor/alpine/LICENSE"
echo "Vendor files refreshed:"
ls -R "$vendor"
