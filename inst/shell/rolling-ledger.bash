# Completion of rolling-ledger for bash: source this file, or put it where bash-completion looks.
# Nothing that was typed is run; the command itself says what could stand next.
_rolling_ledger() {
  local rest=$COMP_LINE raw found open i words=()
  # bash parts words at "=" and ":" too; what no space parts is one word again.
  for ((i = 0; i <= COMP_CWORD; i++)); do
    raw=${COMP_WORDS[i]}
    if [[ $i -eq 0 || $rest == [[:space:]]* ]]; then words+=("$raw"); else words[-1]+=$raw; fi
    rest=${rest#"${rest%%[![:space:]]*}"}
    rest=${rest#"$raw"}
  done
  open=${words[-1]:0:1}
  for i in "${!words[@]}"; do
    case ${words[i]} in
      \'*) raw=${words[i]#\'}; words[i]=${raw%\'} ;;
      \"*) raw=${words[i]#\"}; raw=${raw%\"}; words[i]=${raw//\\\"/\"} ;;
      *) words[i]=${words[i]//\\/} ;;
    esac
  done
  COMPREPLY=()
  while IFS= read -r found; do
    # What stands before the last "=" or ":" outside of quotes is there already.
    if [[ $open != [\"\'] ]]; then
      [[ ${words[-1]} == *[=:]* ]] && found=${found#"${words[-1]%"${words[-1]##*[=:]}"}"}
      printf -v found '%q' "$found"
    fi
    COMPREPLY+=("$found")
  done < <("${words[0]}" complete -- "${words[@]:1}" 2> /dev/null)
  [[ ${#COMPREPLY[@]} -eq 1 && ${COMPREPLY[0]} == *[=\(] ]] && compopt -o nospace
  return 0
}
complete -o default -F _rolling_ledger rolling-ledger
