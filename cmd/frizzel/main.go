// Frizzel changes text in many files by reusable rule scripts: preview, confirm,
// write with backups, take back.
package main

import (
	"os"

	"frizzel/internal/cli"
)

func main() {
	os.Exit(cli.Main(os.Args[1:], cli.Streams{In: os.Stdin, Out: os.Stdout, Err: os.Stderr}))
}
