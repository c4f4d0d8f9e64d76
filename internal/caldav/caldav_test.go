package caldav

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"
)

// answers is a server made of a table: METHOD PATH to code and body; what isn't there
// is 404. A code below 0 cuts the connection.
type answers map[string][]reply

type reply struct {
	code   int
	body   string
	header string // NAME: VALUE
}

func (a answers) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	_, _ = io.Copy(io.Discard, r.Body)
	key := r.Method + " " + r.URL.Path
	list := a[key]
	if len(list) == 0 {
		w.WriteHeader(404)
		return
	}
	if len(list) > 1 {
		a[key] = list[1:]
	}
	if list[0].code < 0 {
		conn, _, _ := w.(http.Hijacker).Hijack()
		conn.Close()
		return
	}
	if name, value, ok := strings.Cut(list[0].header, ": "); ok {
		w.Header().Set(name, value)
	}
	w.WriteHeader(list[0].code)
	_, _ = io.WriteString(w, list[0].body)
}

// props is a 207 of resources: PATH and what its prop holds, in turn.
func props(list ...string) reply {
	b := `<?xml version="1.0"?><d:multistatus xmlns:d="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav">`
	for i := 0; i < len(list); i += 2 {
		b += "<d:response><d:href>" + list[i] + "</d:href><d:propstat><d:prop>" + list[i+1] + "</d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat>" +
			"<d:propstat><d:prop><d:displayname/><c:calendar-home-set/></d:prop><d:status>HTTP/1.1 404 Not Found</d:status></d:propstat></d:response>"
	}
	return reply{code: 207, body: b + "</d:multistatus>"}
}

const (
	principal = "<d:current-user-principal><d:href>/p/</d:href></d:current-user-principal>"
	home      = "<c:calendar-home-set><d:href>/home/</d:href></c:calendar-home-set>"
	calendar  = "<d:resourcetype><d:collection/><c:calendar/></d:resourcetype>"
	folder    = "<d:resourcetype><d:collection/></d:resourcetype>"
)

// A client whose pauses take no time but are counted.
func client(t *testing.T, h http.Handler, path string) (*Client, *time.Duration) {
	t.Helper()
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	c, err := New(s.URL+path, "clerk", "tide")
	if err != nil {
		t.Fatal(err)
	}
	waited := new(time.Duration)
	c.Pause = func(_ context.Context, d time.Duration) error { *waited += d; return nil }
	return c, waited
}

func TestFind_discovery(t *testing.T) {
	ctx := context.Background()
	list := []reply{props("/home/", folder, "/home/office/", calendar+"<d:displayname>Crew</d:displayname>", "/home/notes/", folder, "/home/a%20b/", calendar)}
	for _, c := range []struct {
		base, name string
		asked      bool
		server     answers
		want       string // path, its end ! where it is missing; or what is wrong
		requests   int
	}{
		{"", "office", false, answers{"PROPFIND /": {props("/", principal)}, "PROPFIND /p/": {props("/p/", home)}, "PROPFIND /home/": list}, "/home/office/", 3},
		{"", "Crew", true, answers{"PROPFIND /": {props("/", principal)}, "PROPFIND /p/": {props("/p/", home)}, "PROPFIND /home/": list}, "/home/office/", 3},
		{"/dav/", "a b", true, answers{"PROPFIND /dav/": {props("/dav/", folder)}, "PROPFIND /.well-known/caldav": {{301, "", "Location: /inner/"}}, "PROPFIND /inner/": {props("/inner/", home)}, "PROPFIND /home/": list}, "/home/a b/", 4},
		{"/dav/", "new one", true, answers{"PROPFIND /": {props("/", home)}, "PROPFIND /home/": list}, "/home/new one/!", 4},
		{"/home/office", "skerry", false, answers{"PROPFIND /home/office": {props("/home/office/", calendar)}}, "/home/office/", 1},
		{"", "notes", true, answers{"PROPFIND /": {props("/", home)}, "PROPFIND /home/": list}, "/home/notes/ exists but is not a calendar", 2},
		{"", "x", true, answers{"PROPFIND /": {{code: 401}}}, "rejected the user name or password", 1},
		{"", "x", true, answers{}, "has no calendars for this user", 2},
		{"", "x", true, answers{"PROPFIND /": {{200, "<html>", ""}}}, "has no calendars for this user", 2},
		{"", "x", true, answers{"PROPFIND /": {{207, "<d:multi", ""}}}, "can't be read", 1},
		{"", "x", true, answers{"PROPFIND /": {{301, "", "Location: http://elsewhere.example/"}}}, "the password is only sent to 127.0.0.1", 1},
		{"", "x", true, answers{"PROPFIND /": {{302, "", "Location: /"}}}, "in a circle", 5},
		{"", "x", true, answers{"PROPFIND /": {props("/", strings.Replace(home, "/home/", "https://elsewhere.example/", 1))}}, "an address that isn't its own", 1},
		{"", "office", true, answers{"PROPFIND /": {{code: 503, header: "Retry-After: 7"}, {code: -1}, props("/", home)}, "PROPFIND /home/": list}, "/home/office/", 4},
		{"", "office", true, answers{"PROPFIND /": {{code: 503}}}, "503 Service Unavailable, tried 3 times", 3},
	} {
		c2, waited := client(t, c.server, c.base)
		got := ""
		if found, err := c2.Find(ctx, c.name, c.asked); err != nil {
			got = err.Error()
		} else if got = found.Path(); found.NotCreated {
			got += "!"
		}
		if got != c.want && (strings.HasPrefix(c.want, "/home/") && !strings.Contains(c.want, " is ") || !strings.Contains(got, c.want)) {
			t.Errorf("%s at %q: %s, want %s", c.name, c.base, got, c.want)
		}
		if n := c2.Requests(); n != c.requests {
			t.Errorf("%s at %q: %d requests, want %d", c.name, c.base, n, c.requests)
		}
		if strings.Contains(got, "tide") {
			t.Errorf("the password is shown: %s", got)
		}
		if len(c.server["PROPFIND /"]) == 1 && c.requests == 4 && c.base == "" && *waited != 9*time.Second {
			t.Errorf("waited %v, not 7 seconds as told and 2 of its own", *waited)
		}
	}
}

// What a write is answered with, and what that means.
func TestCollection_conditionalWrites(t *testing.T) {
	ctx := context.Background()
	conflict := `<d:error xmlns:d="DAV:"><c:no-uid-conflict xmlns:c="urn:ietf:params:xml:ns:caldav"/></d:error>`
	for _, c := range []struct {
		replies []reply
		want    string
	}{
		{[]reply{{code: 201}}, "done"}, {[]reply{{code: 204}}, "done"}, {[]reply{{code: 200}}, "done"},
		{[]reply{{code: -1}, {code: 201}}, "done"},
		{[]reply{{code: 429, header: "Retry-After: 0"}, {code: 201}}, "done"},
		{[]reply{{code: 202}}, "failed"}, {[]reply{{code: 500}}, "failed"}, {[]reply{{code: -1}}, "unreached"},
		{[]reply{{code: 412}}, "changed"}, {[]reply{{code: 409}}, "taken"}, {[]reply{{code: 403, body: conflict}}, "taken"},
		{[]reply{{207, `<d:multistatus xmlns:d="DAV:"><d:response><d:href>/x</d:href><d:status>HTTP/1.1 409 Conflict</d:status></d:response></d:multistatus>`, ""}}, "taken"},
		{[]reply{{207, `<d:multistatus xmlns:d="DAV:"><d:response><d:href>/x</d:href><d:propstat><d:status>HTTP/1.1 412 Precondition Failed</d:status></d:propstat>` + conflict + `</d:response></d:multistatus>`, ""}}, "taken"},
		{[]reply{{code: 207, body: "<x/>"}}, "failed"},
		{[]reply{{code: 403}}, "denied"}, {[]reply{{code: 401}}, "denied"}, {[]reply{{code: 404}}, "missing"},
	} {
		for _, method := range []string{"PUT", "DELETE"} {
			cl, _ := client(t, answers{method + " /home/office/x.ics": c.replies}, "")
			store := &Collection{client: cl, url: cl.base.JoinPath("/home/office/")}
			r := Resource{Name: "x.ics", ETag: `"1"`, Data: "BEGIN:VCALENDAR"}
			err := store.Put(ctx, r)
			if method == "DELETE" {
				err = store.Delete(ctx, r)
			}
			got, status := "", (*StatusError)(nil)
			switch {
			case err == nil:
				got = "done"
			case IsDenied(err):
				got = "denied"
			case IsPreconditionFailed(err):
				got = "changed"
			case IsUIDConflict(err):
				got = "taken"
			case IsNotFound(err):
				got = "missing"
			case errors.As(err, &status):
				got = "failed"
			default:
				got = "unreached"
			}
			if got != c.want {
				t.Errorf("%s answered by %v: %s (%v), want %s", method, c.replies, got, err, c.want)
			}
		}
	}
	seen := ""
	cl, _ := client(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		user, password, _ := r.BasicAuth()
		seen += fmt.Sprintln(r.Method, r.URL.Path, r.Header.Get("If-Match"), r.Header.Get("If-None-Match"), user, password)
		w.WriteHeader(201)
	}), "")
	store := &Collection{client: cl, url: cl.base.JoinPath("/c/"), NotCreated: true}
	if list, err := store.List(ctx); list != nil || err != nil {
		t.Error("a calendar that isn't there holds something")
	}
	_, made := store.Create(ctx, "A & B")
	for _, err := range []error{made, store.Put(ctx, Resource{Name: "n.ics"}), store.Put(ctx, Resource{Name: "n.ics", ETag: `"7"`}), store.Delete(ctx, Resource{Name: "n.ics", ETag: `"8"`})} {
		if err != nil {
			t.Error(err)
		}
	}
	if want := "MKCALENDAR /c/   clerk tide\nPUT /c/n.ics  * clerk tide\nPUT /c/n.ics \"7\"  clerk tide\nDELETE /c/n.ics \"8\"  clerk tide\n"; seen != want {
		t.Errorf("%s\nwant\n%s", seen, want)
	}
	stopped, stop := context.WithCancel(ctx)
	stop()
	if err := store.Put(stopped, Resource{Name: "n.ics"}); !errors.Is(err, context.Canceled) {
		t.Errorf("interrupted: %v", err)
	}
}

func TestNew_refusesAddresses(t *testing.T) {
	for address, want := range map[string]string{"https://a.example": "", "http://localhost:8080/x": "", "http://127.0.0.9/": "", "http://[::1]/": "", "http://a.example/": "send the password unencrypted",
		"https://u:p@a.example/": "contains a user name", "a.example": "expected the address", "ftp://a.example/": "expected the address", "": "expected the address", "://": "expected the address"} {
		if _, err := New(address, "u", "p"); (err == nil) != (want == "") || err != nil && !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q", address, err, want)
		}
	}
}

// What a file of credentials may say, and who may read it; no error shows what it says.
func TestReadCredentials(t *testing.T) {
	path := filepath.Join(t.TempDir(), "who")
	for _, c := range []struct {
		text, want string
		mode       os.FileMode
	}{{"# who\r\nuser=clerk\r\n\r\npassword=high=tide \r\n", "", 0o600}, {"user=clerk\npassword=high=tide \n", "others can read", 0o644}, {"user=clerk\n", "both user=NAME", 0o600},
		{"clerk\nhigh=tide \n", ":1: expected user=NAME", 0o600}, {"user=clerk\npasword=high=tide \n", ":2: expected user=NAME", 0o600}, {"user=clerk\npassword=high=tide \npassword=low\n", ":3: a second line password=", 0o600}, {strings.Repeat("#", 5000), "", 0o600}} {
		if runtime.GOOS == "windows" && c.mode != 0o600 {
			continue
		}
		os.Remove(path)
		if err := os.WriteFile(path, []byte(c.text), c.mode); err != nil {
			t.Fatal(err)
		}
		user, password, err := Credentials(path)
		switch {
		case err != nil && strings.Contains(err.Error(), "tide"):
			t.Errorf("%q: the error shows it: %v", c.text, err)
		case len(c.text) > 4096:
			if err == nil {
				t.Error("a file of any size is read")
			}
		case c.want == "" && (err != nil || user != "clerk" || password != "high=tide "), c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)):
			t.Errorf("%q: %s, %q, %v, want %q", c.text, user, password, err, c.want)
		}
	}
}

// What an odd or hostile server answers, and what that comes to: what lies outside of the
// collection is never touched, and what can't be understood is an error.
func TestCollection_oddServers(t *testing.T) {
	ctx := context.Background()
	data := func(name, etag string) []string {
		return []string{name, etag + "<c:calendar-data>BEGIN:VCALENDAR</c:calendar-data>"}
	}
	bomb := func(size int) reply {
		var b bytes.Buffer
		z := gzip.NewWriter(&b)
		_, _ = z.Write(bytes.Repeat([]byte(" "), size))
		z.Close()
		return reply{207, b.String(), "Content-Encoding: gzip"}
	}
	for _, c := range []struct {
		what   string
		answer reply
		want   string // the names that are listed, or the error
	}{
		{"resources", props(append(data("/c/a.ics", "<d:getetag>1</d:getetag>"), data("/c/b%20c.ics", "")...)...), "a.ics=1 b c.ics="},
		{"the collection itself, other places", props(append(append(append(append(data("/c/", ""), data("/boss/private/x.ics", "")...), data("/c/../boss/y.ics", "")...), data("/c/sub/z.ics", "")...), data("/c/%2e%2e", "")...)...), "outside 4"},
		{"one without content", props("/c/a.ics", "<d:getetag>1</d:getetag>"), "unread 1"},
		{"another server's", props(data("http://elsewhere.example/c/a.ics", "")...), "isn't its own"},
		{"a page under 207", reply{code: 207, body: "<html><body>Please log in</body></html>"}, "can't be read"},
		{"nothing under 207", reply{code: 207}, "can't be read"},
		{"an answer that was cut", reply{code: 207, body: `<d:multistatus xmlns:d="DAV:"><d:response><d:href>/c/</d:href><d:status>HTTP/1.1 507 Insufficient Storage</d:status></d:response></d:multistatus>`}, "507 Insufficient Storage"},
		{"a small answer that unpacks to much", bomb(maxResponseBytes + 100), "larger than 48 MB"},
	} {
		cl, _ := client(t, answers{"REPORT /c/": {c.answer}}, "")
		store := &Collection{client: cl, url: cl.base.JoinPath("/c/")}
		list, err := store.List(ctx)
		got := ""
		for _, r := range list {
			got += r.Name + "=" + r.ETag + " "
		}
		if store.Foreign > 0 {
			got += fmt.Sprint("outside ", store.Foreign)
		}
		if store.Unreadable > 0 {
			got += fmt.Sprint("unread ", store.Unreadable)
		}
		if err != nil {
			got = err.Error()
		}
		if !strings.Contains(got, c.want) || err == nil && strings.TrimSpace(got) != c.want {
			t.Errorf("%s: %s, want %s", c.what, got, c.want)
		}
	}
	// Without an ETag, nothing is taken away.
	cl, _ := client(t, answers{"DELETE /c/a.ics": {{code: 204}}}, "")
	store := &Collection{client: cl, url: cl.base.JoinPath("/c/")}
	if err := store.Delete(ctx, Resource{Name: "a.ics"}); err == nil || cl.Requests() > 0 {
		t.Errorf("a resource without an ETag is taken away: %v", err)
	}
	// A calendar that somebody else makes meanwhile is there; one that can't be made isn't.
	for _, c := range []struct {
		server answers
		there  bool
		want   string
	}{
		{answers{"MKCALENDAR /c/": {{code: 201}}}, false, ""},
		{answers{"MKCALENDAR /c/": {{code: 409}}, "PROPFIND /c/": {props("/c/", calendar)}}, true, ""},
		{answers{"MKCALENDAR /c/": {{code: 405}}, "PROPFIND /c/": {props("/c/", folder)}}, false, "405"},
		{answers{"MKCALENDAR /c/": {{code: 409}}}, false, "409"},
	} {
		cl, _ := client(t, c.server, "")
		store := &Collection{client: cl, url: cl.base.JoinPath("/c/"), NotCreated: true}
		if there, err := store.Create(ctx, "x"); there != c.there || (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) {
			t.Errorf("%v: there %v, %v", c.server, there, err)
		}
	}
	for _, name := range []string{"", ".", "..", "a/b", "../boss", `a\b`, "a\nb"} {
		cl, _ := client(t, answers{"PROPFIND /": {props("/", home)}, "PROPFIND /home/": {props("/home/", folder)}}, "")
		if _, err := cl.Find(ctx, name, true); err == nil || cl.Requests() > 0 {
			t.Errorf("a calendar called %q: %v", name, err)
		}
	}
	for name, want := range map[string]string{"a b": "/home/a%20b/", "ä%2f..": "/home/%C3%A4%252f../", "...": "/home/.../"} {
		cl, _ := client(t, answers{"PROPFIND /": {props("/", home)}, "PROPFIND /home/": {props("/home/", folder)}}, "")
		if c, err := cl.Find(ctx, name, true); err != nil || c.url.EscapedPath() != want {
			t.Errorf("a calendar called %q: %v, %v", name, c, err)
		}
	}
	// Reading ends at once when it is interrupted; a write that was begun is finished.
	for method, want := range map[string]bool{"REPORT": true, "PUT": false} {
		begun, goOn := make(chan bool), make(chan bool)
		cl, _ := client(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			_, _ = io.Copy(io.Discard, r.Body)
			begun <- true
			select {
			case <-goOn:
			case <-r.Context().Done():
			}
			w.WriteHeader(204)
		}), "")
		store := &Collection{client: cl, url: cl.base.JoinPath("/c/")}
		ctx, stop := context.WithCancel(ctx)
		ended := make(chan error)
		go func() {
			if method == "PUT" {
				ended <- store.Put(ctx, Resource{Name: "x.ics"})
				return
			}
			_, err := store.List(ctx)
			ended <- err
		}()
		<-begun
		stop()
		if !want {
			goOn <- true
		}
		if err := <-ended; errors.Is(err, context.Canceled) != want || !want && err != nil {
			t.Errorf("%s, interrupted: %v", method, err)
		}
	}
}
