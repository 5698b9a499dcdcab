#!/bin/sh
# Has profilers that are not ours write profiles, which the tests keep: of PHP (Debian's php-cli, php-xdebug and
# php-sqlite3) and of a C program (gcc and valgrind). The tests need only the kept files.
set -eu
here=$(cd "$(dirname "$0")" && pwd)
work=/srv/harbour
mkdir -p "$work"
trap 'rm -rf "$work"' EXIT
cp -r "$here/harbour.php" "$here/plugins" "$here/themes" "$here/tides.c" "$work"
cd "$work"
php -d xdebug.mode=profile -d xdebug.output_dir="$work" -d xdebug.profiler_output_name=php.callgrind \
  -d xdebug.use_compression=0 harbour.php >/dev/null
gzip -9n php.callgrind
cp php.callgrind.gz "$here/php.callgrind.gz"
gcc -O1 -fno-optimize-sibling-calls -g -o tides tides.c -lm
valgrind -q --tool=callgrind --callgrind-out-file=c.callgrind ./tides >/dev/null
# Two parts in one file, with instructions' addresses as well as lines.
valgrind -q --tool=callgrind --callgrind-out-file=parts.callgrind --combine-dumps=yes --dump-every-bb=100000 \
  --dump-instr=yes ./tides >/dev/null
gzip -9n c.callgrind parts.callgrind
cp c.callgrind.gz parts.callgrind.gz "$here"
chmod 644 "$here"/*.gz
