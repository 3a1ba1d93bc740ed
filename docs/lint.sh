#!/usr/bin/env bash
# Holds the code against the house. `quick` leaves out clang-tidy.
#   floors    every floor includes only floors below it; the core knows no Qt, kernels know no standard library
#   names     no kind of node and no name of a port in quotes outside of src/nodes (docs/nodes.md lists them)
#   form      .clang-format, lines of at most 120 columns, British spelling in our own words
#   habits    clang-tidy: one declaration a statement, functions of a readable size, known mistakes
set -u
cd "$(dirname "$0")/.."
bad=0
fail() { echo "$1"; bad=1; }
sources=$(git ls-files --cached --others --exclude-standard src tests bench demo tools docs | grep -E '\.(cpp|h)$')

floors=(base scene nodes program texture geometry surface render bake paint review exchange app cli)
declare -A level
for i in "${!floors[@]}"; do level[${floors[$i]}]=$i; done
while IFS=: read -r file line text; do
  from=${file#src/}; from=${from%%/*}
  to=${text#*\"}; to=${to%%/*}
  [ -n "${level[$to]:-}" ] || continue
  if [ "$to" != "$from" ] && [ "${level[$to]}" -ge "${level[$from]}" ]; then fail "$file:$line: $from includes $to, which is not below it"; fi
  if [ "$from" = cli ] && [ "$to" = app ]; then fail "$file:$line: the command line includes the window"; fi
done < <(grep -rn '^#include "' src)
if grep -rnE '#include <Q' src --include=*.h --include=*.cpp | grep -v '^src/app/'; then fail "the core includes Qt"; fi
if grep -nE '^#include <' src/nodes/kernel.h $(ls src/nodes/kernels/*.h) | grep -v '<cstdint>'; then fail "a kernel includes the standard library"; fi
for f in src/nodes/kernels/*.cpp; do
  sed '/^#ifndef VEMTRA_KERNELS_ONLY/,$d' "$f" | grep -nE '^#include <' | grep -v '<cstdint>' && fail "$f: a kernel includes the standard library"
done
for f in src/*/; do [ -f "$f/README.md" ] || fail "$f has no README.md"; done

# A node or a port is reached by its use or its role; only documents of the open standard are spoken to in its words.
if grep -rnE '(inputs(\.find|\.at|\.count)?[[(]"|port\("|kind [!=]= "|describe\("|surface(\.find|\.at|\.count)?[[(]")' src --include=*.cpp --include=*.h | grep -vE '^src/(nodes|exchange/standard)/'; then
  fail "a node or a port is named in quotes outside of src/nodes"
fi
kinds=$(sed -nE 's/^## .* `([a-z0-9_]+)`$/\1/p' docs/nodes.md | grep -vE '^(add|coat|constant|image|invert|max|min|mix|normal|position|ramp|range|grain|levels|cavity|placement|subtract|multiply|and|or|xor|not|in|out|over|mask|plus|minus|divide|sin|cos|tan|asin|acos|ln|exp|floor|ceil|round|sign|line|grid|circle|clamp|dot|switch|power|convert|extract|contrast|distance|difference|screen|tangent|inside|outside|luminance|normalize|saturate|reflect|refract|fract|sqrt|absval|burn|dodge|overlay|matte|height|slope|curvature|crease|settle|pin|paint|blur|bump|thickness|laid|weave|knurl|curves)$')
ports=$(sed -nE 's/^\| `([a-z0-9_]+)` \|.*/\1/p' docs/nodes.md | sort -u | grep -E '_|^.{9,}$' | grep -vE '^(projection|direction|amplitude|thickness|variation|interval[0-9]+)$')
pattern=$(printf '%s\n' $kinds $ports | paste -sd'|')
# The texture floor's table of words in file names says for which slot a map is meant.
if grep -rnE "\"($pattern)\"" src --include=*.cpp --include=*.h | grep -vE '^src/(nodes/|exchange/standard/|texture/map_(names.cpp|words.h))'; then fail "a node or a port is named in quotes outside of src/nodes"; fi

clang-format --dry-run -Werror $(echo "$sources" | grep -v microsurface_data) 2>&1 | grep -E 'error|warning' | head -5 | grep . && fail "run clang-format -i on what is named above"
while read -r f; do awk -v f="$f" 'length > 120 { print f ":" FNR ": " length " columns" }' "$f"; done <<<"$sources" | grep . && fail "a line is longer than 120 columns"
# Names that the standard has (color, center of a library) stay; our own prose is British.
if grep -nE '(//|///).*\b(colors|colored|coloring|gray|grey-scale|behavior|neighbors?|initializ|normaliz(e|ing)|optimiz|recogniz|center(s|ed)?)\b' $sources | grep -vE 'vendor|\.center' | head -5 | grep .; then fail "a comment spells as elsewhere"; fi

if [ "${1:-}" != quick ]; then
  # Its own folder: without the precompiled headers of another compiler, which clang-tidy cannot read.
  [ -f build/lint/compile_commands.json ] || cmake -S . -B build/lint -G Ninja -DVEMTRA_TOGETHER=OFF -DCMAKE_CXX_COMPILER=clang++ \
    -DCMAKE_DISABLE_PRECOMPILE_HEADERS=ON -DCMAKE_EXPORT_COMPILE_COMMANDS=ON >/dev/null
  found=$(printf '%s\n' $(git ls-files 'src/*.cpp') | xargs -P "$(nproc)" -n 4 clang-tidy -p build/lint --quiet 2>/dev/null | grep -E 'warning:|error:' | sort -u)
  [ -z "$found" ] || { echo "$found"; fail "clang-tidy found the above"; }
fi
while read -r n f; do [ "$n" -gt 600 ] && [ "$f" != total ] && echo "note: $f has $n lines"; done < <(echo "$sources" | xargs wc -l)
[ $bad -eq 0 ] && echo "the house is in order"
exit $bad
