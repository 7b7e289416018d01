# One line from the terminal, with history and completion: bash line.sh WORDS HISTORY OUT. WORDS
# holds what can be completed, a line each. The status is 1 at the end of input.
words=$1 past=$2 out=$3
touch "$past"

# The longest end of what is typed that begins one of the lines is completed as far as they agree.
complete_typed() {
  local made
  made=$(awk -v typed="${READLINE_LINE:0:$READLINE_POINT}" '
    BEGIN { low = tolower(typed); best = 0 }
    {
      line = tolower($0)
      for (size = length(line); size > best || size == best && size > 0; size--) {
        end = substr(low, length(low) - size + 1)
        if (length(end) != size || substr(line, 1, size) != end) continue
        before = substr(low, length(low) - size, 1)
        if (size < length(low) && before !~ /[ ,;(]/) continue
        if (size > best) { best = size; n = 0 }
        found[n++] = $0
        break
      }
    }
    END {
      if (n == 0) exit 1
      common = found[0]
      for (i = 1; i < n; i++)
        while (tolower(substr(found[i], 1, length(common))) != tolower(common))
          common = substr(common, 1, length(common) - 1)
      print substr(typed, 1, length(typed) - best) common (n == 1 ? " " : "")
      for (i = 0; i < n && n > 1 && i < 12; i++) print "  " found[i] > "/dev/stderr"
    }' "$words") || return
  local rest=${READLINE_LINE:$READLINE_POINT}
  READLINE_LINE=$made$rest
  READLINE_POINT=${#made}
}

set -o emacs
bind -x '"\t": complete_typed' 2> /dev/null
history -r "$past"
IFS= read -r -e -p '> ' line || exit 1
history -s -- "$line"
history -w "$past"
printf '%s\n' "$line" > "$out"
