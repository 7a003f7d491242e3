"""``cordtally completion``: the lines that teach a shell to complete commands, options and their values.

The shell hands over what is typed up to the cursor, in ``CORDTALLY_TYPED``, and gets one word a line, a tab, and what
it means. Which words fit is said in `completing`; what differs between shells is here.
"""

from __future__ import annotations

import os
import sys
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from click.shell_completion import CompletionItem

VARIABLE = "CORDTALLY_COMPLETE"
# a word that ends in one of / = @ : goes on, so that no blank is put behind it; fish knows that by itself
_BASH = """\
_cordtally_complete() {
    local line
    COMPREPLY=()
    while IFS= read -r line; do COMPREPLY+=("$line"); done < <(
        CORDTALLY_COMPLETE=bash CORDTALLY_TYPED="${COMP_LINE:0:COMP_POINT}" CORDTALLY_BREAKS="$COMP_WORDBREAKS" \\
            "$1" 2>/dev/null)
    [[ ${#COMPREPLY[@]} -eq 1 && ${COMPREPLY[0]} == *[/=@:] ]] && compopt -o nospace
    return 0
}
complete -o nosort -F _cordtally_complete cordtally
"""
_ZSH = """\
#compdef cordtally
_cordtally_complete() {
    local word said
    local -a ended going
    while IFS=$'\\t' read -r word said; do
        if [[ $word == *[/=@:] ]]; then going+=("${word//:/\\\\:}${said:+:$said}")
        else ended+=("${word//:/\\\\:}${said:+:$said}"); fi
    done < <(CORDTALLY_COMPLETE=zsh CORDTALLY_TYPED="${(j: :)words[1,CURRENT-1]} $QIPREFIX$PREFIX" \\
        $words[1] 2>/dev/null)
    (( $#ended )) && _describe -V cordtally ended
    (( $#going )) && _describe -V cordtally going -S ''
    return 0
}
if [[ $zsh_eval_context[-1] == loadautofunc ]]; then
    _cordtally_complete "$@"
else
    (( $+functions[compdef] )) || { autoload -Uz compinit && compinit -u; }
    compdef _cordtally_complete cordtally
fi
"""
_FISH = """\
complete --command cordtally --no-files --arguments \\
    '(CORDTALLY_COMPLETE=fish CORDTALLY_TYPED=(commandline -cp | string collect) cordtally 2>/dev/null)'
"""
_SCRIPTS = {"bash": _BASH, "zsh": _ZSH, "fish": _FISH}
_LINES = {
    "bash": 'eval "$(cordtally completion bash)"    in ~/.bashrc',
    "zsh": 'eval "$(cordtally completion zsh)"     in ~/.zshrc',
    "fish": "cordtally completion fish | source     in ~/.config/fish/config.fish",
}


@click.command(
    "completion", epilog="\b\nThe line that switches it on:\n" + "\n".join(f"  {v}" for v in _LINES.values())
)
@click.argument("shell", type=click.Choice([*_SCRIPTS]))
def command(shell: str) -> int:
    """Print what makes a shell complete commands, options, drivers, cords, environments and files."""
    sys.stdout.write(_SCRIPTS[shell])
    return 0


def answer(group: click.Group) -> int:
    """Print the words that fit what is typed, for the shell in `VARIABLE`."""
    shell, typed = os.environ[VARIABLE], os.environ.get("CORDTALLY_TYPED", "")
    arguments, word = _split(typed)
    breaks = os.environ.get("CORDTALLY_BREAKS", "") if shell == "bash" else ""
    for found in _found(group, arguments, word):
        shown = _for_readline(found.value, word, breaks, typed) if shell == "bash" else found.value
        said = "" if shell == "bash" else "\t" + (found.help or "")
        sys.stdout.write(f"{shown}{said}\n")
    return 0


def _found(group: click.Group, arguments: list[str], word: str) -> list[CompletionItem]:
    from click.shell_completion import CompletionItem, ShellComplete

    from .completing import list_files

    option, equals, begun = word.partition("=")
    head = option + equals if option.startswith("--") and equals else ""
    found = []
    for item in ShellComplete(group, {}, "cordtally", VARIABLE).get_completions(arguments, word):
        if item.type == "plain":
            found.append(CompletionItem(head + item.value, help=item.help))
        else:  # click's own types of files leave the names to the shell
            found += [CompletionItem(head + path) for path in list_files(begun if head else word)]
    return found


def _split(typed: str) -> tuple[list[str], str]:
    """Give the words behind the program's name that are complete, and the one that is being typed."""
    from click.shell_completion import split_arg_string

    end = "\N{NO-BREAK SPACE}"  # belongs to the word that is typed, be it empty
    *words, last = split_arg_string(typed + end)
    return words[1:], last.removesuffix(end)


def _for_readline(value: str, word: str, breaks: str, typed: str) -> str:
    """Give what readline is to put in: it takes a word to begin behind the last of its break characters."""
    quote = _open_quote(typed)
    if quote:
        return value
    last = max((word.rfind(character) for character in breaks if not character.isspace()), default=-1)
    start = last if word[last:].startswith("@") else last + 1  # which belongs to the word that it begins
    return "".join(["\\" + c if c in " \t\\'\"&;|<>()$`*?[]#!{}~" else c for c in value[start:]])


def _open_quote(typed: str) -> str:
    """Tell whether the cursor stands in quotes, where nothing breaks and nothing is escaped."""
    quote = ""
    skipped = False
    for character in typed:
        if skipped:
            skipped = False
        elif character == "\\" and quote != "'":
            skipped = True
        elif quote:
            quote = "" if character == quote else quote
        elif character in "'\"":
            quote = character
    return quote
