package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"strings"

	"github.com/dustin/go-humanize"
	"github.com/spf13/cobra"

	"frizzel/internal/disk"
	"frizzel/internal/exit"
	"frizzel/internal/rules"
	"frizzel/internal/run"
	"frizzel/internal/usecase"
)

// fileFlags say which files are to be read.
type fileFlags struct {
	in, out       []string
	depth         int
	noHidden      bool
	noDocuments   bool
	follow        bool
	oneFileSystem bool
	from          string
	null          bool
	maxSize       string
	encoding      string
	verbose       bool
}

func (f *fileFlags) add(c *cobra.Command) {
	fl := c.Flags()
	fl.StringArrayVar(&f.in, "files", nil, "only files that match this `glob`, such as '*.conf'; may be repeated")
	fl.StringArrayVar(&f.out, "not-files", nil, "no files that match this `glob`; may be repeated")
	fl.IntVar(&f.depth, "depth", 0, "read at most this many directory `levels`; 1 is a directory's own files")
	fl.BoolVar(&f.noHidden, "no-hidden", false, "leave out names that begin with a dot")
	fl.BoolVar(&f.noDocuments, "no-documents", false, "leave out office documents, such as .odt and .xlsx")
	fl.BoolVar(&f.follow, "follow", false, "follow symbolic links to directories")
	fl.BoolVar(&f.oneFileSystem, "one-filesystem", false, "stay on the file systems of the directories named")
	fl.StringVar(&f.from, "from", "", "read paths from this `file`, one a line; - is standard input")
	fl.BoolVar(&f.null, "null", false, "the paths of --from end in NUL instead of line ends")
	fl.StringVar(&f.maxSize, "max-size", "", "leave out files over this `size`, such as 10MB or 512KiB")
	fl.StringVar(&f.encoding, "encoding", "", "the `name` of the files' encoding, such as iso-8859-1")
	fl.BoolVarP(&f.verbose, "verbose", "v", false, "name the files that are left out")
}

// plan checks the paths and joins them with the rules.
func (a *app) plan(f *fileFlags, rules *rules.Compiled, paths []string) (*run.Plan, error) {
	files, err := a.fileSet(f, paths)
	if err != nil {
		return nil, err
	}
	return usecase.NewPlan(files, rules)
}

// fileSet returns which files the flags and the paths mean. It says if a run was cut off.
func (a *app) fileSet(f *fileFlags, paths []string) (files usecase.Files, err error) {
	listed, err := a.listed(f)
	if err != nil {
		return files, err
	}
	if f.from != "" && len(paths)+len(listed) == 0 {
		return files, exit.Wrongf("--from %s names no paths", f.from)
	}
	files = usecase.Files{
		Paths: paths, Listed: listed, Only: f.in, Not: f.out, Depth: f.depth, NoHidden: f.noHidden, NoDocuments: f.noDocuments,
		Follow: f.follow, OneFileSystem: f.oneFileSystem, Encoding: f.encoding,
	}
	if f.maxSize != "" {
		size, err := humanize.ParseBytes(f.maxSize)
		if err != nil || size == 0 || size > 1<<62 {
			return files, exit.Wrongf("--max-size wants a size such as 10MB, not %q", f.maxSize)
		}
		files.MaxSize = int64(size)
	}
	if f.from != "" && f.from != "-" {
		files.Given = []string{f.from}
	}
	if s, err := usecase.OpenStore(); err == nil { // else there is nothing of it to leave out
		files.Store = s
		for _, r := range usecase.CutOff(s) {
			fmt.Fprintf(a.Err, "note: run %s was cut off; frizzel recover puts its files back\n", r.Name())
		}
	}
	return files, nil
}

// maxList is how long a list of paths may be, in bytes.
const maxList = 1 << 30

// listed reads the paths that --from names.
func (a *app) listed(f *fileFlags) ([]string, error) {
	if f.from == "" {
		if f.null {
			return nil, exit.Wrongf("--null goes with --from")
		}
		return nil, nil
	}
	var text []byte
	var err error
	if f.from == "-" {
		text, err = disk.ReadStream(a.In, "standard input", maxList)
	} else if text, err = disk.ReadBounded(f.from, maxList); errors.Is(err, fs.ErrNotExist) {
		return nil, exit.Wrongf("there is no list of paths %q", f.from)
	}
	if err != nil {
		return nil, err
	}
	end := "\n"
	if f.null {
		end = "\x00"
	}
	var paths []string
	for p := range bytes.SplitSeq(text, []byte(end)) {
		path := string(p)
		if !f.null {
			path = strings.TrimSuffix(path, "\r")
		}
		if path != "" {
			paths = append(paths, path)
		}
	}
	return paths, nil
}
