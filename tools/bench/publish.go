//go:build !windows

package main

import (
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"time"
)

// numPublished is how many events are published for the first time.
const numPublished = 200

var publishes = fmt.Sprintf("publish, %d events for the first time", numPublished)

// server is a calendar server on the loopback address.
type server struct {
	at, folder string
	cmd        *exec.Cmd
}

// serve starts one with nothing in it; ok is false if none is installed.
func (o *workspace) serve() (s *server, ok bool) {
	if _, err := exec.LookPath("xandikos"); err != nil {
		return nil, false
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	must(err)
	s = &server{at: l.Addr().String(), folder: filepath.Join(o.dir, "server")}
	must(l.Close())
	_, port, _ := net.SplitHostPort(s.at)
	s.cmd = exec.Command("xandikos", "--listen-address", "127.0.0.1", "-p", port, "-d", s.folder,
		"--current-user-principal", "/clerk/", "--autocreate")
	must(s.cmd.Start())
	for range 200 {
		if conn, err := net.Dial("tcp", s.at); err == nil {
			must(conn.Close())
			return s, true
		}
		time.Sleep(50 * time.Millisecond)
	}
	s.end()
	return nil, false
}

func (s *server) end() { _ = s.cmd.Process.Kill(); _ = s.cmd.Wait() }

// ask sends a bare request; an HTTP package would make the start longer that others are
// measured by.
func (s *server) ask(method, path, kind, body string) error {
	conn, err := net.Dial("tcp", s.at)
	if err != nil {
		return err
	}
	defer conn.Close()
	if _, err := fmt.Fprintf(conn, "%s %s HTTP/1.1\r\nHost: %s\r\nConnection: close\r\nContent-Type: %s\r\nContent-Length: %d\r\n\r\n%s",
		method, path, s.at, kind, len(body), body); err != nil {
		return err
	}
	answer, err := io.ReadAll(conn)
	if err == nil && !strings.HasPrefix(string(answer), "HTTP/1.1 2") {
		err = fmt.Errorf("%s %s: %.200s", method, path, answer)
	}
	return err
}

// publishing is a first publication of many events, beside the bare requests that put the same
// resources there, four at once.
func (o *workspace) publishing(s *server, program string) task {
	must(os.Setenv("YOYAKU_CALDAV_USER", "clerk"))
	must(os.Setenv("YOYAKU_CALDAV_PASSWORD", "high tide"))
	plan := o.planIn(filepath.Join(o.dir, "published"), fmt.Sprintf("plan: 1\nid: drill\nwindow: 2027\nseries:\n"+
		"  drill: {rule: \"daily from 2027-01-01 %d times\", event: {summary: Drill, remind: 1 day before at 09:00}}\n", numPublished))
	n := 0
	publish := func() {
		n++
		said, err := exec.Command(program, "publish", plan, "--to", "http://"+s.at, "--collection", fmt.Sprint("p", n),
			"--quiet").CombinedOutput()
		if err != nil {
			must(fmt.Errorf("%w: %s", err, said))
		}
	}
	publish()
	files, err := filepath.Glob(filepath.Join(s.folder, "clerk", "calendars", "p1", "*.ics"))
	must(err)
	if len(files) != numPublished {
		must(fmt.Errorf("%d of %d events were published", len(files), numPublished))
	}
	beside := func() {
		n++
		to := fmt.Sprintf("/clerk/calendars/p%d/", n)
		must(s.ask("MKCALENDAR", to, "application/xml", `<c:mkcalendar xmlns="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav">`+
			`<set><prop><displayname>bare</displayname></prop></set></c:mkcalendar>`))
		next := make(chan string)
		var wait sync.WaitGroup
		for range 4 {
			wait.Go(func() {
				for file := range next {
					data, err := os.ReadFile(file)
					must(err)
					must(s.ask("PUT", to+filepath.Base(file), "text/calendar", string(data)))
				}
			})
		}
		for _, file := range files {
			next <- file
		}
		close(next)
		wait.Wait()
	}
	return task{name: publishes, budget: 1.1, do: publish, baselineFunc: beside}
}
