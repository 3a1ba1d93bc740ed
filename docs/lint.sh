#!/usr/bin/env bash
# Holds the code against the house: every floor includes only floors below it, the core knows no Qt, kernels know no standard library.
set -u
cd "$(dirname "$0")/.."
floors=(base scene nodes program texture geometry surface render bake paint review exchange app cli)
declare -A level
for i in "${!floors[@]}"; do level[${floors[$i]}]=$i; done
bad=0
while IFS=: read -r file line text; do
  from=${file#src/}; from=${from%%/*}
  to=${text#*\"}; to=${to%%/*}
  [ -n "${level[$to]:-}" ] || continue
  if [ "$to" != "$from" ] && [ "${level[$to]}" -ge "${level[$from]}" ]; then echo "$file:$line: $from includes $to, which is not below it"; bad=1; fi
  if [ "$from" = cli ] && [ "$to" = app ]; then echo "$file:$line: the command line includes the window"; bad=1; fi
done < <(grep -rn '^#include "' src)
if grep -rnE '#include <Q' src --include=*.h --include=*.cpp | grep -v '^src/app/'; then echo "the core includes Qt"; bad=1; fi
if grep -nE '^#include <' src/nodes/kernel.h src/nodes/kernels/* | grep -v '<cstdint>'; then echo "a kernel includes the standard library"; bad=1; fi
for f in src/*/; do [ -f "$f/README.md" ] || { echo "$f has no README.md"; bad=1; }; done
while read -r n f; do [ "$n" -gt 600 ] && [ "$f" != total ] && echo "note: $f has $n lines"; done < <(find src tests -name '*.cpp' -o -name '*.h' | xargs wc -l)
[ $bad -eq 0 ] && echo "the house is in order"
exit $bad
