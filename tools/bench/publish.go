//go:build !windows

package main

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"yoyaku/internal/caldav"
)

// published is how many events are published for the first time.
const published = 200

// server is a calendar server on the loopback address.
type server struct {
	url string
	cmd *exec.Cmd
}

// serve starts one with nothing in it; ok is false if none is installed.
func (o *office) serve() (s *server, ok bool) {
	if _, err := exec.LookPath("xandikos"); err != nil {
		return nil, false
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	must(err)
	port := fmt.Sprint(l.Addr().(*net.TCPAddr).Port)
	must(l.Close())
	s = &server{"http://127.0.0.1:" + port, exec.Command("xandikos", "--listen-address", "127.0.0.1", "-p", port, "-d",
		filepath.Join(o.dir, "server"), "--current-user-principal", "/clerk/", "--autocreate")}
	must(s.cmd.Start())
	for range 200 {
		if conn, err := net.Dial("tcp", "127.0.0.1:"+port); err == nil {
			must(conn.Close())
			return s, true
		}
		time.Sleep(50 * time.Millisecond)
	}
	s.end()
	return nil, false
}

func (s *server) end() { _ = s.cmd.Process.Kill(); _ = s.cmd.Wait() }

// publishing is a first publication of many events, beside the bare requests that put the same
// resources there, four at once.
func (o *office) publishing(s *server, program string) work {
	must(os.Setenv("YOYAKU_CALDAV_USER", "clerk"))
	must(os.Setenv("YOYAKU_CALDAV_PASSWORD", "high tide"))
	plan := o.planIn(filepath.Join(o.dir, "published"), fmt.Sprintf("plan: 1\nid: drill\nwindow: 2027\nseries:\n"+
		"  drill: {rule: \"daily from 2027-01-01 %d times\", event: {summary: Drill, remind: 1 day before at 09:00}}\n", published))
	n := 0
	publish := func() string {
		n++
		name := fmt.Sprintf("p%d", n)
		said, err := exec.Command(program, "publish", plan, "--to", s.url, "--collection", name, "--quiet").CombinedOutput()
		if err != nil {
			must(fmt.Errorf("%w: %s", err, said))
		}
		return name
	}
	client, err := caldav.New(s.url, "clerk", "high tide")
	must(err)
	first, err := client.Find(context.Background(), publish(), true)
	must(err)
	list, err := first.List(context.Background())
	must(err)
	if len(list) != published {
		must(fmt.Errorf("%d of %d events were published", len(list), published))
	}
	return work{name: fmt.Sprintf("publish, %d events for the first time", published), budget: 1.1,
		do: func() { publish() },
		beside: func() {
			n++
			to, err := client.Find(context.Background(), fmt.Sprintf("p%d", n), true)
			must(err)
			_, err = to.Create(context.Background(), "bare")
			must(err)
			next := make(chan caldav.Resource)
			var wait sync.WaitGroup
			for range 4 {
				wait.Go(func() {
					for r := range next {
						must(put(s.url+to.Path()+r.Name, r.Data))
					}
				})
			}
			for _, r := range list {
				next <- r
			}
			close(next)
			wait.Wait()
		}}
}

// put is a bare request.
func put(url, data string) error {
	r, err := http.NewRequest("PUT", url, strings.NewReader(data))
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "text/calendar; charset=utf-8")
	r.SetBasicAuth("clerk", "high tide")
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	if answer.StatusCode >= 300 {
		return fmt.Errorf("PUT %s: %s", url, answer.Status)
	}
	return nil
}
