// Command manpages writes what is installed beside the program, made from its commands:
// man pages and the completions of the shells.
//
//	go run ./tools/manpages FOLDER
package main

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
	"github.com/spf13/pflag"

	"yoyaku/demo"
	"yoyaku/internal/cli"
)

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "manpages FOLDER")
		os.Exit(2)
	}
	if err := write(os.Args[1]); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func write(folder string) error {
	root := new(cli.App).Commands()
	man := filepath.Join(folder, "man1")
	if err := os.MkdirAll(man, 0o755); err != nil {
		return err
	}
	var plain func(c *cobra.Command)
	plain = func(c *cobra.Command) { // the same bytes on any day
		c.DisableAutoGenTag, c.Example = true, demo.Examples(c.Example)
		for _, sub := range c.Commands() {
			plain(sub)
		}
	}
	plain(root)
	day := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	if err := doc.GenManTree(root, &doc.GenManHeader{Title: "YOYAKU", Section: "1", Source: "Yoyaku",
		Manual: "Yoyaku", Date: &day}, man); err != nil {
		return err
	}
	for _, c := range root.Commands() {
		if err := nameValues(c, filepath.Join(man, "yoyaku-"+c.Name()+".1")); err != nil {
			return err
		}
	}
	shells := filepath.Join(folder, "completions")
	if err := os.MkdirAll(shells, 0o755); err != nil {
		return err
	}
	for i, name := range []string{"yoyaku.bash", "_yoyaku", "yoyaku.fish", "yoyaku.ps1"} {
		var script bytes.Buffer
		if err := cli.Completion(root, cli.Shells[i], &script); err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(shells, name), script.Bytes(), 0o644); err != nil {
			return err
		}
	}
	return nil
}

// nameValues puts the word for each option's value behind it, as help has it.
func nameValues(c *cobra.Command, page string) error {
	data, err := os.ReadFile(page)
	if errors.Is(err, fs.ErrNotExist) { // a topic has none
		return nil
	}
	if err != nil {
		return err
	}
	text := string(data)
	c.Flags().VisitAll(func(f *pflag.Flag) {
		value, _ := pflag.UnquoteUsage(f)
		name, put := `\fB--`+f.Name+`\fP`, ""
		if value != "" {
			put = ` \fI` + strings.ReplaceAll(value, `\`, `\\`) + `\fP`
		}
		for _, empty := range []string{`=""`, `="` + f.DefValue + `"`, `=`, `[=]`, `[=false]`} {
			text = strings.Replace(text, name+empty+"\n", name+put+"\n", 1)
		}
	})
	return os.WriteFile(page, []byte(text), 0o644)
}
