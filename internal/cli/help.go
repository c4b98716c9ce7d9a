package cli

import (
	"fmt"
	"regexp"
	"strings"
	"sync"

	"github.com/spf13/cobra"

	"frizzel/core/outline"
	"frizzel/core/script"
	"frizzel/core/syntax"
	"frizzel/docs"
	"frizzel/internal/exit"
)

// topic is a part of the documentation that is shown offline.
type topic struct {
	name, about, page string
	heading           string // "" for the whole page
}

var topics = []topic{
	{"tutorial", "ten minutes on made-up files, to be typed along", "tutorial.md", ""},
	{"language", "the rule language, from the first rule on", "language.md", ""},
	{"reference", "every form of the language, and the exact rules", "reference.md", ""},
	{"cookbook", "ready-made scripts for common tasks", "cookbook.md", ""},
	{"commands", "every command and option", "commands.md", ""},
	{"documents", "what is read and changed of office documents", "documents.md", ""},
	{"many-hosts", "the same rules on many hosts", "fleet.md", ""},
	{"safety", "what keeps files safe, and what happens when something fails", "safety.md", ""},
	{"trust", "what scripts, files, settings and seals can do at most", "trust.md", ""},
	{"architecture", "the packages of the program, and the way of the data", "architecture.md", ""},
	{"performance", "how long it takes, how much memory, and what limits it", "performance.md", ""},
	{"exit-statuses", "what each exit status means", "commands.md", "Exit statuses"},
	{"json", "what --format json prints", "commands.md", "For programs"},
	{"schema", "the same as a JSON schema", "events.schema.json", ""},
	{"settings", "what can be set for good", "commands.md", "settings"},
}

// chapterName returns the help topic of a chapter of the language's forms.
func chapterName(c script.Chapter) string {
	return strings.ReplaceAll(strings.ToLower(c.Name), " ", "-")
}

// helpCommand is help about a command or a topic.
func (a *app) helpCommand(root *cobra.Command) *cobra.Command {
	var names []string
	var list strings.Builder
	for _, t := range topics {
		names = append(names, t.name)
		fmt.Fprintf(&list, "  %-22s %s\n", t.name, t.about)
	}
	for _, c := range script.Reference() {
		names = append(names, chapterName(c))
		fmt.Fprintf(&list, "  %-22s the forms of the language: %s\n", chapterName(c), strings.ToLower(c.Name))
	}
	return &cobra.Command{
		Use:   "help [COMMAND | TOPIC]",
		Short: "Help about a command, or a topic such as language or exit-statuses",
		Long:  "Help about a command, or about one of these topics:\n\n" + strings.TrimRight(list.String(), "\n"),
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			return append(commandNames(root), names...), cobra.ShellCompDirectiveNoFileComp
		},
		RunE: func(c *cobra.Command, args []string) error {
			if len(args) == 0 {
				if err := root.Help(); err != nil {
					return err
				}
				_, err := fmt.Fprintf(a.Out, "\nTopics, for frizzel help TOPIC:\n%s", list.String())
				return err
			}
			for _, t := range topics {
				if len(args) == 1 && t.name == args[0] {
					return a.topic(t)
				}
			}
			for _, c := range script.Reference() {
				if len(args) == 1 && chapterName(c) == args[0] {
					return a.forms(c)
				}
			}
			if about, _, err := root.Find(args); err == nil && about != root {
				return about.Help()
			}
			return exit.Wrongf("there is no command and no topic %q%s; see frizzel help", strings.Join(args, " "), meant(args[0], "", append(commandNames(root), names...)))
		},
	}
}

// forms prints the forms of a chapter, each with its line of help.
func (a *app) forms(c script.Chapter) error {
	var b strings.Builder
	for _, u := range c.Uses {
		fmt.Fprintf(&b, "%s\n    %s\n", u.Form, strings.ReplaceAll(u.Help, "`", ""))
	}
	_, err := fmt.Fprint(a.Out, b.String())
	return err
}

// topic prints a part of the documentation.
func (a *app) topic(t topic) error {
	page, err := docs.Pages.ReadFile(t.page)
	if err != nil {
		return err
	}
	if t.heading != "" {
		spans := outline.New(page, syntax.Markdown).Sections(false, func(name []byte) bool { return string(name) == t.heading })
		if len(spans) == 0 {
			return fmt.Errorf("%s has no heading %q", t.page, t.heading)
		}
		page = page[spans[0].Start:spans[0].End]
	}
	text := plainText(string(page))
	if p := a.printer(); p.Terminal && p.Width > 20 && strings.HasSuffix(t.page, ".md") {
		text = reflowed(text, min(p.Width, maxReading))
	}
	_, err = fmt.Fprintln(a.Out, strings.TrimRight(text, "\n"))
	return err
}

var (
	comment = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`(?m)^<!--.*-->\n\n?`) })
	picture = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`(?m)^!\[.*\]\(.*\)\n\n?`) })
	link    = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`\[([^\]]*)\]\([^)]*\)`) })
)

// plainText returns a page without its pictures, its comments and the targets of its links.
func plainText(page string) string {
	page = picture().ReplaceAllString(comment().ReplaceAllString(page, ""), "")
	page = link().ReplaceAllString(page, "$1")
	return strings.NewReplacer("<code>&#124;</code>", "|").Replace(page)
}
