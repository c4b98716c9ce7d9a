package cli

import (
	"fmt"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"golang.org/x/term"

	"frizzel/core/diff"
	"frizzel/internal/change"
	"frizzel/internal/event"
	"frizzel/internal/exit"
	"frizzel/internal/progress"
	"frizzel/internal/report"
	"frizzel/internal/review"
	"frizzel/internal/seal"
	"frizzel/internal/usecase"
)

// readSeal reads a sealed review; rules and paths do not go with one.
func readSeal(c *cobra.Command, path string, paths []string) (*seal.Seal, error) {
	if len(paths) > 0 {
		return nil, exit.Wrongf("a sealed review names its files; leave the paths out")
	}
	if others := given(c, selecting()...); len(others) > 0 {
		return nil, exit.Wrongf("%s does not go with --sealed: the review holds its rules and its files", others[0])
	}
	return usecase.ReadSeal(path)
}

// selecting returns the names of all options that say which rules run over which files.
func selecting() (names []string) {
	c := &cobra.Command{}
	(&ruleFlags{}).add(c)
	(&fileFlags{}).add(c)
	c.Flags().VisitAll(func(f *pflag.Flag) {
		if f.Name != "verbose" {
			names = append(names, f.Name)
		}
	})
	return names
}

// previewSealed shows the changes of a seal, computed from the contents that it would write.
func (a *app) previewSealed(c *cobra.Command, how *previewFlags, paths []string) error {
	s, err := readSeal(c, how.sealed, paths)
	if err != nil {
		return err
	}
	whose, err := whoseSeal(s, how.signers)
	if err != nil {
		return err
	}
	printer := a.printer()
	printer.Rules, printer.Context = s.Rules, how.lines
	if err := how.hidden(printer); err != nil {
		return err
	}
	a.maskMessages(printer)
	events := report.NewEvents(a.Out, "preview", s.Rules)
	if err := canFormat(how.format); err != nil {
		return err
	}
	changes := 0
	for i := range s.Files {
		f := &s.Files[i]
		var err error
		switch how.format {
		case "diff":
			c := f.Change()
			err = printer.Change(&c, s.To(f), f.Shown())
		case "names":
			_, err = fmt.Fprintln(a.Out, report.Path(string(f.Path)))
		case "summary":
			_, err = fmt.Fprintf(a.Out, "%s  %s\n", report.Moved(string(f.Path), s.To(f)), report.Count(f.Changes, "change"))
		case "json":
			c := f.Change()
			err = events.Change(printer, &c, s.To(f), f.Changes, f.Shown())
		}
		if err != nil {
			return err
		}
		changes += f.Changes
	}
	if how.format == "json" {
		return events.Total(event.Summary{FilesChanged: len(s.Files), Changes: changes})
	}
	_, err = fmt.Fprintf(a.Err, "sealed %s by %s on %s: %s, %s\n%s\n", s.Time.Format("2006-01-02 15:04"), s.User, s.Host,
		report.Count(len(s.Files), "file"), report.Count(changes, "change"), whose)
	return err
}

// addSigners adds the option that says whose signature counts.
func addSigners(fl *pflag.FlagSet, to *string) {
	fl.StringVar(to, "signers", "", "with --sealed: take only a review that one of the signers in this `file` signed, OpenSSH's list of allowed signers")
}

// whoseSeal returns a sentence about who made a seal: a claim, unless it is signed by someone on the list.
func whoseSeal(s *seal.Seal, signers string) (string, error) {
	if signers != "" {
		who, err := s.SignedBy(signers, time.Now())
		if err != nil {
			return "", err
		}
		return fmt.Sprintf("signed by %s, with the key %s", who, s.Key()), nil
	}
	if key := s.Key(); key != "" {
		return fmt.Sprintf("signed with the key %s; --signers FILE says whose key that is", key), nil
	}
	return "unsigned: who made it, and when, is only what it says itself", nil
}

// passphrase asks for the passphrase of a key.
func (a *app) passphrase() ([]byte, error) {
	if !review.Terminal(a.In, a.files.Out) {
		return nil, exit.Wrongf("the key of --sign has a passphrase, and there is no terminal to ask for it; name its public key, so that the agent signs")
	}
	fmt.Fprint(a.Err, "passphrase of the key: ")
	secret, err := term.ReadPassword(int(a.In.Fd()))
	fmt.Fprintln(a.Err)
	return secret, err
}

// applySealed writes exactly the reviewed contents, or names the files that differ.
func (a *app) applySealed(c *cobra.Command, f *applyFlags, paths []string) error {
	s, err := readSeal(c, f.sealed, paths)
	if err != nil {
		return err
	}
	whose, err := whoseSeal(s, f.signers)
	if err != nil {
		return err
	}
	fmt.Fprintln(a.Err, whose)
	if err := a.canAsk(f.yes); err != nil {
		return err
	}
	if err := f.checkFormat(); err != nil {
		return err
	}
	w, err := a.writingWith(c, &f.how)
	if err != nil {
		return err
	}
	printer := a.printer()
	printer.Rules = s.Rules
	b := &byFile{app: a}
	if !f.yes {
		b.prompt = a.prompt()
	}
	events := report.NewEvents(a.Out, "apply", s.Rules)
	w.Progress = &progress.Meter{}
	o := usecase.ApplySealOptions{Seal: s, Write: w,
		Take: func(ch *change.Change, to string, changes int, text diff.Windows) (bool, error) {
			if f.format == "json" {
				return true, events.Change(printer, ch, to, changes, text)
			}
			counted := report.Count(changes, "change")
			return b.take(c.Context(), report.Moved(report.Here(ch.Path), report.Here(to)), counted, "write "+counted, func() error {
				return printer.Change(ch, to, text)
			})
		},
		Taken: b.flush,
	}
	done, err := doing(a, w.Progress, func() (*usecase.SealApplied, error) { return usecase.ApplySeal(c.Context(), o) })
	if err != nil {
		return err
	}
	if f.format == "json" {
		t := event.Summary{FilesRead: len(s.Files), FilesChanged: done.Files, Changes: done.Count}
		if done.Run != nil {
			t.Run = done.Run.ID
		}
		if err := events.Total(t); err != nil {
			return err
		}
	}
	switch {
	case done.Run != nil:
		if f.format != "json" {
			a.wrote(done.Run, done.Files)
		}
		if f.how.tellChanged {
			return exit.Silent(exit.Changed)
		}
	case done.Done == len(s.Files):
		fmt.Fprintln(a.Err, "the files are the result of this review already; nothing to write")
	default:
		fmt.Fprintln(a.Err, "nothing to write")
	}
	return nil
}
