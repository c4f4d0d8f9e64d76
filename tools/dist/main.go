// Command dist makes the archives that are handed out: for Linux, macOS and Windows on
// amd64 and arm64, each with the program, its man pages, completions, documents and the
// licences of what it stands on, and a list of checksums. The same tree gives the same
// bytes.
//
//	go run ./tools/dist VERSION PAGES FOLDER
package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// day is the time that every file in an archive has.
var day = time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)

// entry is a file of an archive.
type entry struct {
	name string
	mode fs.FileMode
	data []byte
}

func main() {
	if len(os.Args) != 4 {
		fmt.Fprintln(os.Stderr, "dist VERSION PAGES FOLDER")
		os.Exit(2)
	}
	if err := dist(os.Args[1], os.Args[2], os.Args[3]); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func dist(version, pages, folder string) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	beside, err := documents(pages)
	if err != nil {
		return err
	}
	var sums strings.Builder
	for _, system := range []string{"linux", "darwin", "windows"} {
		for _, arch := range []string{"amd64", "arm64"} {
			name := fmt.Sprintf("yoyaku-%s-%s-%s", version, map[string]string{"linux": "linux", "darwin": "macos",
				"windows": "windows"}[system], arch)
			program, err := build(system, arch)
			if err != nil {
				return err
			}
			licences, err := licences(system, arch)
			if err != nil {
				return err
			}
			files := slices.Concat([]entry{program}, beside, licences)
			pack, ending := tarball, ".tar.gz"
			if system == "windows" {
				pack, ending = zipped, ".zip"
			}
			data, err := pack(name, files)
			if err != nil {
				return err
			}
			if err := os.WriteFile(filepath.Join(folder, name+ending), data, 0o644); err != nil {
				return err
			}
			fmt.Fprintf(&sums, "%x  %s%s\n", sha256.Sum256(data), name, ending)
			fmt.Printf("%s%s\n", name, ending)
		}
	}
	return os.WriteFile(filepath.Join(folder, "SHA256SUMS"), []byte(sums.String()), 0o644)
}

// build makes the program for a system.
func build(system, arch string) (entry, error) {
	e := entry{name: "yoyaku", mode: 0o755}
	if system == "windows" {
		e.name += ".exe"
	}
	dir, err := os.MkdirTemp("", "dist")
	if err != nil {
		return e, err
	}
	defer os.RemoveAll(dir)
	file := filepath.Join(dir, e.name)
	cmd := exec.Command("go", "build", "-trimpath", "-buildvcs=false", "-ldflags", "-s -w -buildid=", "-o", file,
		"./cmd/yoyaku")
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS="+system, "GOARCH="+arch)
	if out, err := cmd.CombinedOutput(); err != nil {
		return e, fmt.Errorf("%s/%s: %w\n%s", system, arch, err, out)
	}
	e.data, err = os.ReadFile(file)
	return e, err
}

// documents are what is beside the program.
func documents(pages string) (list []entry, err error) {
	add := func(file, name string) {
		var data []byte
		if err == nil {
			if data, err = os.ReadFile(file); err == nil {
				list = append(list, entry{name, 0o644, data})
			}
		}
	}
	for _, name := range []string{"README.md", "LICENSE", "CHANGELOG.md"} {
		add(name, name)
	}
	for _, from := range []struct{ dir, to string }{{"docs", "docs"}, {"schema", "schema"},
		{filepath.Join(pages, "man1"), "man/man1"}, {filepath.Join(pages, "completions"), "completions"}} {
		files, rerr := os.ReadDir(from.dir)
		if rerr != nil {
			return nil, rerr
		}
		for _, f := range files {
			if !f.IsDir() {
				add(filepath.Join(from.dir, f.Name()), path.Join(from.to, f.Name()))
			}
		}
	}
	return list, err
}

// licences are those of the modules that are in the program.
func licences(system, arch string) (list []entry, err error) {
	cmd := exec.Command("go", "list", "-deps", "-f",
		"{{with .Module}}{{if not .Main}}{{.Path}} {{.Dir}}{{end}}{{end}}", "./cmd/yoyaku")
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS="+system, "GOARCH="+arch)
	out, err := cmd.Output()
	if err != nil {
		return nil, err
	}
	lines := strings.Split(strings.TrimSpace(string(out)), "\n")
	slices.Sort(lines)
	root, err := exec.Command("go", "env", "GOROOT").Output()
	if err != nil {
		return nil, err
	}
	for _, line := range append(slices.Compact(lines), "go "+strings.TrimSpace(string(root))) {
		module, dir, ok := strings.Cut(line, " ")
		if !ok {
			continue
		}
		found := 0
		for _, pattern := range []string{"LICENSE*", "LICENCE*", "License*", "COPYING*", "NOTICE*"} {
			files, _ := filepath.Glob(filepath.Join(dir, pattern))
			for _, f := range files {
				data, err := os.ReadFile(f)
				if err != nil {
					return nil, err
				}
				found++
				list = append(list, entry{path.Join("licences", module, filepath.Base(f)), 0o644, data})
			}
		}
		if found == 0 && module != "go" {
			return nil, fmt.Errorf("%s has no licence", module)
		}
	}
	return list, nil
}

func tarball(folder string, files []entry) ([]byte, error) {
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		return nil, err
	}
	t := tar.NewWriter(z)
	for _, f := range files {
		if err := t.WriteHeader(&tar.Header{Name: folder + "/" + f.name, Mode: int64(f.mode), Size: int64(len(f.data)),
			ModTime: day, Format: tar.FormatUSTAR}); err != nil {
			return nil, err
		}
		if _, err := t.Write(f.data); err != nil {
			return nil, err
		}
	}
	if err := t.Close(); err != nil {
		return nil, err
	}
	err = z.Close()
	return b.Bytes(), err
}

func zipped(folder string, files []entry) ([]byte, error) {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, f := range files {
		h := &zip.FileHeader{Name: folder + "/" + f.name, Method: zip.Deflate, Modified: day}
		h.SetMode(f.mode)
		w, err := z.CreateHeader(h)
		if err != nil {
			return nil, err
		}
		if _, err := w.Write(f.data); err != nil {
			return nil, err
		}
	}
	err := z.Close()
	return b.Bytes(), err
}
