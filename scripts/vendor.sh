#!/usr/bin/env bash
# Fetches the browser libraries that ship with Manudex, at the versions pinned
# here, into web/static/lib and e2e/lib. Run it only to change a version.
set -euo pipefail
cd "$(dirname "$0")/.."
lib=$PWD/web/static/lib tests=$PWD/e2e/lib work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cd "$work"
npm init -y >/dev/null
npm install --silent --ignore-scripts bootstrap@5.3.9 htmx.org@2.0.11 idiomorph@0.8.0 @fontsource-variable/archivo@5.3.0 axe-core@4.14.1
mkdir -p "$lib" "$tests"
cp node_modules/bootstrap/dist/css/bootstrap.min.css "$lib/"
cp node_modules/htmx.org/dist/htmx.min.js "$lib/"
cp node_modules/idiomorph/dist/idiomorph-ext.min.js "$lib/"
cp node_modules/@fontsource-variable/archivo/files/archivo-latin-wdth-normal.woff2 "$lib/archivo-latin.woff2"
cp node_modules/@fontsource-variable/archivo/files/archivo-latin-ext-wdth-normal.woff2 "$lib/archivo-latin-ext.woff2"
cp node_modules/axe-core/axe.min.js "$tests/"
# Source maps are not shipped; a reference to one would be a failed request.
sed -i '/sourceMappingURL/d' "$lib"/*.css
{ for p in bootstrap htmx.org idiomorph @fontsource-variable/archivo; do
    echo "== $p $(node -p "require('./node_modules/$p/package.json').version") =="
    cat node_modules/$p/LICENSE*
  done; } > "$lib/LICENSES.txt"
