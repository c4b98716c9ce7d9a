package cli

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"frizzel/core/script"
	"frizzel/core/syntax"
	"frizzel/internal/exit"
	"frizzel/internal/fleet"
	"frizzel/internal/report"
	"frizzel/internal/rules"
	"frizzel/internal/terminal"
	"frizzel/internal/usecase"
)

const completionLong = `Print what teaches a shell to complete frizzel's commands, options, the words of --on
and --in, parameters of the scripts that are given, and runs.

  bash   frizzel completion bash > ~/.local/share/bash-completion/completions/frizzel
  zsh    frizzel completion zsh > "${fpath[1]}/_frizzel"
  fish   frizzel completion fish > ~/.config/fish/completions/frizzel.fish`

// bashAlone replaces a function of a package that a server may not have installed.
const bashAlone = `if ! declare -F _get_comp_words_by_ref >/dev/null; then
    _get_comp_words_by_ref() {
        cur=${COMP_WORDS[COMP_CWORD]} prev=${COMP_WORDS[COMP_CWORD-1]} cword=$COMP_CWORD
        words=("${COMP_WORDS[@]}")
    }
    __ltrim_colon_completions() { :; }
    _filedir() { compopt -o default 2>/dev/null; COMPREPLY=(); }
fi
`

// bashQuotes makes the script complete within an open quote: the quote is closed in the request, and the results
// are inserted without quoting.
var bashQuotes = strings.NewReplacer(
	"    # Use eval to handle", `    __frizzel_quote=
    case ${cur} in
    \'*\' | \"*\") ;;
    \'* | \"*) __frizzel_quote=${cur:0:1} cur=${cur:1} requestComp+=${__frizzel_quote} ;;
    esac

    # Use eval to handle`,
	"    case $COMP_TYPE in\n", `    if [[ -n ${__frizzel_quote} ]]; then
        local one
        for one in "${completions[@]%%$'\t'*}"; do
            [[ ${one} == "${cur}"* ]] && COMPREPLY+=("${one}")
        done
        return 0
    fi

    case $COMP_TYPE in
`)

// zshQuotes is the same for another shell.
var zshQuotes = strings.NewReplacer(
	"    words=(\"${=words[1,CURRENT]}\")\n", `    local openQuote=
    case ${words[CURRENT]} in
    \'*\' | \"*\") ;;
    \'* | \"*) openQuote=${words[CURRENT][1]} ;;
    esac
    words=("${=words[1,CURRENT]}")
`,
	`    if [ "${lastChar}" = "" ]; then`, `    requestComp+=${openQuote}
    if [ "${lastChar}" = "" ]; then`)

// What is typed in fish has no quote that is still open.
const (
	fishPrefix = " | string escape --style=regex)"
	fishOpen   = ` | string trim --left --chars "\"'"`
)

func (a *app) completion(root *cobra.Command) *cobra.Command {
	shells := []string{"bash", "zsh", "fish"}
	return &cobra.Command{
		Use:       "completion bash|zsh|fish",
		Short:     "Print what teaches a shell to complete commands and options",
		Long:      completionLong,
		Example:   "  source <(frizzel completion bash)",
		ValidArgs: shells,
		Args:      one("a shell: bash, zsh or fish"),
		RunE: func(_ *cobra.Command, args []string) error {
			switch args[0] {
			case "bash":
				var b strings.Builder
				if err := root.GenBashCompletionV2(&b, true); err != nil {
					return err
				}
				_, err := fmt.Fprint(a.Out, bashAlone+bashQuotes.Replace(b.String()))
				return err
			case "zsh":
				var b strings.Builder
				if err := root.GenZshCompletion(&b); err != nil {
					return err
				}
				_, err := fmt.Fprint(a.Out, zshQuotes.Replace(b.String()))
				return err
			case "fish":
				var b strings.Builder
				if err := root.GenFishCompletion(&b, true); err != nil {
					return err
				}
				_, err := fmt.Fprint(a.Out, strings.Replace(b.String(), fishPrefix, fishOpen+fishPrefix, 1))
				return err
			}
			return exit.Wrongf("completion is for bash, zsh or fish, not %q", args[0])
		},
	}
}

// optionValues are the values of options: all that there are, or the usual ones, or none where a shell would offer files for a
// text.
var optionValues = map[string][]string{
	"color": coloring, "ask": waysToAsk, "syntax": syntax.Names(),
	"encoding": {"utf-8", "utf-8-bom", "utf-16le", "utf-16be", "iso-8859-1", "iso-8859-15", "windows-1252", "koi8-r", "shift_jis"},
	"context":  {"0", "1", "3", "10"}, "depth": {"1", "2", "3"}, "max-size": {"1MB", "10MB", "100MB"}, "joiners": {"-", "-."}, "beside": {".old", ".before"},
	"hold": {"5m", "10m", "1h"}, "prove-time": {"30s", "1m", "5m"}, "older-than": {"30d", "90d", "365d", "never"}, "total": {"500MB", "2GiB", "any"}, "newest": {"10", "100"},
	"wait": {"20s", "1m"}, "at-once": {"8", "32", "100"}, "first-wave": {"1", "2", "5"}, "wave": {"5", "10", "32"}, "old-git": {"HEAD", "HEAD~1"}, "start-with": {"sudo -n"},
	"hide": {"text", "word", "regex"}, "text": nil, "word": nil, "regex": nil, "with": nil, "note": nil, "show": nil, "each": nil,
}

// suffixes are those of the files that options name.
var suffixes = map[string][]string{
	"param-file": {"toml", "yaml", "yml", "json"}, "rows": {"csv", "tsv", "toml", "yaml", "yml", "json"},
	"hosts": {"csv", "tsv", "toml", "yaml", "yml", "json", "txt"}, "report": {"html"},
}

// complete says how a command's options and arguments are completed.
func (a *app) complete(c *cobra.Command) {
	for option, values := range optionValues {
		a.completeOption(c, option, func(*cobra.Command, string) ([]string, bool) { return values, true })
	}
	for option, suffixes := range suffixes {
		if c.Flags().Lookup(option) != nil {
			_ = c.MarkFlagFilename(option, suffixes...)
		}
	}
	for _, option := range []string{"into", "allow-read", "programs"} {
		if c.Flags().Lookup(option) != nil {
			_ = c.MarkFlagDirname(option)
		}
	}
	wanted := []string{"text", "json"}
	switch c.CommandPath() {
	case "frizzel preview":
		wanted = formats
	case "frizzel fleet preview":
		wanted = fleetFormats
	}
	a.completeOption(c, "format", func(*cobra.Command, string) ([]string, bool) { return wanted, true })
	a.completeOption(c, "on", func(_ *cobra.Command, typed string) ([]string, bool) {
		return nextWords(typed, addressAfter("on")), false
	})
	a.completeOption(c, "in", func(_ *cobra.Command, typed string) ([]string, bool) {
		return nextWords(typed, addressAfter("in")), false
	})
	a.completeOption(c, "rule", func(c *cobra.Command, typed string) ([]string, bool) {
		return append(nextWords(typed, script.Complete), ruleNames(c, typed)...), false
	})
	a.completeOption(c, "hosts-with", func(c *cobra.Command, _ string) ([]string, bool) { return hostColumns(c), false })
	a.completeOption(c, "param", func(c *cobra.Command, typed string) ([]string, bool) { return params(c), false })
	if c.Flags().Lookup("rules") != nil {
		_ = c.RegisterFlagCompletionFunc("rules", scriptFiles)
	}
	switch c.CommandPath() {
	case "frizzel undo", "frizzel redo", "frizzel keep", "frizzel history show":
		c.ValidArgsFunction = completeRuns
	case "frizzel fleet resume", "frizzel fleet keep", "frizzel fleet undo", "frizzel fleet history show":
		c.ValidArgsFunction = completeFleetRuns
	case "frizzel check", "frizzel fmt":
		c.ValidArgsFunction = scriptFiles
	case "frizzel recover", "frizzel filter", "frizzel settings", "frizzel fleet-host", "frizzel fleet history", "frizzel history", "frizzel history verify", "frizzel history prune":
		c.ValidArgsFunction = cobra.NoFileCompletions
	}
	for _, sub := range c.Commands() {
		a.complete(sub)
	}
}

// completeOption completes an option, if the command has it. words reports whether what
// it returns is whole.
func (a *app) completeOption(c *cobra.Command, option string, words func(c *cobra.Command, typed string) (found []string, whole bool)) {
	if c.Flags().Lookup(option) == nil {
		return
	}
	_ = c.RegisterFlagCompletionFunc(option, func(c *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
		found, whole := words(c, typed)
		directive := cobra.ShellCompDirectiveNoFileComp
		if !whole {
			directive |= cobra.ShellCompDirectiveNoSpace
		}
		return found, directive
	})
}

func scriptFiles(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return []string{"friz"}, cobra.ShellCompDirectiveFilterFileExt
}

// nextWords returns the typed text with each word that may come next, and a space after it.
func nextWords(typed string, next func(before string) []string) (out []string) {
	typed = strings.TrimLeft(typed, `'"`) // some shells pass a quote that is still open
	before, part := "", typed
	if i := strings.LastIndexByte(typed, ' '); i >= 0 {
		before, part = typed[:i+1], typed[i+1:]
	}
	for _, w := range next(before) {
		if strings.HasPrefix(w, part) {
			out = append(out, before+w+" ")
		}
	}
	return out
}

// addressAfter returns what completes an address behind its opening word.
func addressAfter(opening string) func(before string) []string {
	return func(before string) []string { return script.CompleteAddress(opening, before) }
}

// scripts reads the scripts that are given on the command line.
func scripts(c *cobra.Command) (out []*script.Script) {
	paths, _ := c.Flags().GetStringArray("rules")
	for i, path := range paths {
		if path == "-" || slices.Contains(paths[:i], path) {
			continue
		}
		if text, err := rules.ReadScript(path, nil); err == nil {
			s, _ := script.Parse(filepath.ToSlash(path), text)
			out = append(out, s)
		}
	}
	return out
}

// params returns the parameters of the scripts given.
func params(c *cobra.Command) (out []string) {
	for _, s := range scripts(c) {
		for _, item := range s.Items {
			p, ok := item.(*script.Param)
			if !ok {
				continue
			}
			about := ""
			if p.About != nil {
				about = "\t" + terminal.Visible([]byte(p.About.Raw))
			}
			out = append(out, p.Name+"="+about)
		}
	}
	return out
}

// ruleNames returns the rules of the scripts given, if one is wanted next.
func ruleNames(c *cobra.Command, typed string) (out []string) {
	i := strings.LastIndexByte(typed, ' ')
	if before := strings.TrimSpace(typed[:max(i, 0)]); !strings.HasSuffix(before, "changed by") && !strings.HasSuffix(before, " of") {
		return nil
	}
	for _, s := range scripts(c) {
		for _, item := range s.Items {
			if r, ok := item.(*script.Rule); ok {
				out = append(out, typed[:i+1]+r.Name)
			}
		}
	}
	return out
}

// completeRuns completes a run's number, the newest first.
func completeRuns(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveDefault // paths of the run
	}
	s, err := usecase.OpenStore()
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	records, _, _ := s.Runs()
	var out []string
	for _, r := range slices.Backward(records) {
		about := fmt.Sprintf("%s, %d files, %s %s", r.Time.Format("2006-01-02 15:04"), r.Targets(), whatOf(r), r.Note)
		out = append(out, r.Name()+"\t"+terminal.Visible([]byte(about)))
	}
	return out, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveKeepOrder
}

// completeFleetRuns completes a run over many hosts.
func completeFleetRuns(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	s, err := usecase.OpenStore()
	if err != nil || len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	runs, _, _ := fleet.Runs(s)
	var names []string
	for _, r := range slices.Backward(runs) {
		names = append(names, fmt.Sprintf("%s\t%s, %s", r.Name(), r.Time.Local().Format("2006-01-02 15:04"), report.Count(len(r.Hosts), "host")))
	}
	return names, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveKeepOrder
}

// hostColumns returns the columns of the list of hosts that is given, as --hosts-with takes them.
func hostColumns(c *cobra.Command) (out []string) {
	path, _ := c.Flags().GetString("hosts")
	hosts, err := fleet.ReadHosts(path, nil)
	if err != nil {
		return nil
	}
	for _, h := range hosts {
		for name, value := range h.Values {
			if option := name + "=" + value; name != "host" && !slices.Contains(out, option) {
				out = append(out, option)
			}
		}
		if len(out) > 100 {
			break
		}
	}
	slices.Sort(out)
	return out
}
