package caldav

import (
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"path"
	"strings"
)

// Collection is a calendar on a server.
type Collection struct {
	client *Client
	url    *url.URL
	// NotCreated says that it isn't there yet; Create makes it.
	NotCreated bool
	// Foreign counts what the server listed that doesn't lie in the collection, Unreadable what
	// it gave no content of. Neither is touched.
	Foreign, Unreadable int
}

// Resource is what is in a collection under one name.
type Resource struct {
	Name string // the last part of its path
	ETag string
	Data string // iCalendar

	url *url.URL
}

// NotCalendarError is a place on a server that isn't a calendar.
type NotCalendarError struct{ Reason string }

// Error gives the reason.
func (e *NotCalendarError) Error() string { return e.Reason }

const propfindBody = `<propfind xmlns="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav"><prop><current-user-principal/><c:calendar-home-set/><resourcetype/><displayname/></prop></propfind>`

// checkName refuses a name that can't be that of a collection: it is one part of a path.
func checkName(name string) error {
	if name == "" || name == "." || name == ".." || strings.ContainsFunc(name, func(r rune) bool {
		return r == '/' ||
			r == '\\' || r < ' ' || r == 0x7f
	}) {
		return &AddressError{fmt.Sprintf(
			"invalid calendar name %.80q: a name can't contain / or be . or ..", name)}
	}
	return nil
}

// childURL is the address of something right inside a folder.
func childURL(folder *url.URL, name, end string) *url.URL {
	u := *folder
	u.Path, u.RawPath = folder.Path+name+end, folder.EscapedPath()+url.PathEscape(name)+end
	return &u
}

// childName reports whether an address is that of something right inside a folder, and how
// that is called.
func childName(folder, u *url.URL) (name string, ok bool) {
	name, ok = strings.CutPrefix(u.Path, folder.Path)
	return name, ok && name != "" && name != "." && name != ".." && !strings.Contains(name, "/")
}

// Find finds the collection of a name, or of a display name, among the calendars of
// the user. If the address itself is a calendar and no name is asked for, it is
// that (RFC 4791 section 6.2.1, RFC 5397, RFC 6764 section 6).
func (c *Client) Find(ctx context.Context, name string, asked bool) (*Collection, error) {
	if err := checkName(name); err != nil {
		return nil, err
	}
	first, err := c.propfind(ctx, c.base)
	switch {
	case err != nil && !IsNotFound(err) && !isNotDAV(err):
		return nil, err
	case err == nil && first.isCalendar() && !asked:
		return &Collection{client: c, url: withSlash(first.url)}, nil
	}
	home, err := c.calendarHome(ctx, first)
	if err != nil {
		return nil, err
	}
	m, target, err := c.multistatus(ctx, "PROPFIND", home, "1", propfindBody)
	if err != nil {
		return nil, err
	}
	var named *Collection
	for _, r := range m.Responses {
		u, err := c.resolveHref(target, r.Href)
		if err != nil {
			return nil, err
		}
		p := r.okProps()
		last := path.Base(strings.TrimSuffix(u.Path, "/"))
		switch {
		case strings.Trim(u.Path, "/") == strings.Trim(target.Path, "/"):
		case last == name && !p.isCalendar():
			return nil, &NotCalendarError{fmt.Sprintf(
				"%s exists but is not a calendar; choose another name with --collection", u.Path)}
		case last == name:
			return &Collection{client: c, url: withSlash(u)}, nil
		case p.isCalendar() && p.Name == name && named == nil:
			named = &Collection{client: c, url: withSlash(u)}
		}
	}
	if named != nil {
		return named, nil
	}
	return &Collection{client: c, url: childURL(withSlash(target), name, "/"), NotCreated: true}, nil
}

// propfindResult is what a PROPFIND says of one address.
type propfindResult struct {
	prop
	url *url.URL
}

func (c *Client) propfind(ctx context.Context, target *url.URL) (*propfindResult, error) {
	m, target, err := c.multistatus(ctx, "PROPFIND", target, "0", propfindBody)
	if err != nil {
		return nil, err
	}
	if len(m.Responses) == 0 {
		return nil, &NotCalendarError{fmt.Sprintf("the server's answer doesn't mention %s", target.Path)}
	}
	return &propfindResult{m.Responses[0].okProps(), target}, nil
}

// isNotDAV reports whether an address has no CalDAV, so that others are tried.
func isNotDAV(err error) bool {
	var s *StatusError
	return errors.As(err, &s) && (s.Code == http.StatusMethodNotAllowed || s.Code == http.StatusNotImplemented ||
		s.Code/100 == 2)
}

// calendarHome finds the folder of the user's calendars, by the address, the well-known one and
// the root.
func (c *Client) calendarHome(ctx context.Context, first *propfindResult) (*url.URL, error) {
	var denied error
	for n, where := range []string{"", "/.well-known/caldav", "/"} {
		p := first
		if n > 0 {
			if where == c.base.Path { // which was asked
				continue
			}
			var err error
			if p, err = c.propfind(ctx, c.base.ResolveReference(&url.URL{Path: where})); err != nil {
				if wrong := (*AddressError)(nil); errors.As(err, &wrong) || ctx.Err() != nil {
					return nil, err
				}
				if IsDenied(err) {
					denied = err
				}
				continue
			}
		}
		if p == nil {
			continue
		}
		if p.Home == nil && p.Principal != nil {
			target, err := c.resolveHref(p.url, p.Principal.Href)
			if err != nil {
				return nil, err
			}
			if p, err = c.propfind(ctx, target); err != nil {
				return nil, err
			}
		}
		if p.Home != nil {
			return c.resolveHref(p.url, p.Home.Href)
		}
	}
	if denied != nil {
		return nil, denied
	}
	return nil, &NotCalendarError{fmt.Sprintf(
		"%s has no calendars for this user: the server names no calendar home there, at /.well-known/caldav or at /", c.base)}
}

// withSlash is an address that ends in one, as those of collections do.
func withSlash(u *url.URL) *url.URL {
	if !strings.HasSuffix(u.Path, "/") {
		return u.JoinPath("/")
	}
	return u
}

// Path is where the collection is on its server.
func (c *Collection) Path() string { return c.url.Path }

// Create makes the collection (RFC 4791 section 5.3.1). there says that somebody else made
// it meanwhile.
func (c *Collection) Create(ctx context.Context, title string) (there bool, err error) {
	var name strings.Builder
	if err := xml.EscapeText(&name, []byte(title)); err != nil {
		return false, err
	}
	a, err := c.client.do(ctx, "MKCALENDAR", c.url, map[string]string{"Content-Type": "application/xml; charset=utf-8"},
		`<?xml version="1.0" encoding="utf-8"?>`+"\n"+`<c:mkcalendar xmlns="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav"><set><prop><displayname>`+name.String()+
			`</displayname><c:supported-calendar-component-set><c:comp name="VEVENT"/><c:comp name="VTODO"/></c:supported-calendar-component-set></prop></set></c:mkcalendar>`)
	if err != nil {
		return false, err
	}
	if a.code != http.StatusCreated { // by another publisher, or by a try that seemed to fail
		p, perr := c.client.propfind(ctx, c.url)
		if perr != nil || !p.isCalendar() {
			return false, statusError("MKCALENDAR", a)
		}
		there = true
	}
	c.NotCreated = false
	return there, nil
}

// List returns what is in the collection (RFC 4791 section 7.8), in one request.
func (c *Collection) List(ctx context.Context) (list []Resource, err error) {
	if c.NotCreated {
		return nil, nil
	}
	m, target, err := c.client.multistatus(ctx, "REPORT", c.url, "1",
		`<c:calendar-query xmlns="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav"><prop><getetag/><c:calendar-data/></prop><c:filter><c:comp-filter name="VCALENDAR"/></c:filter></c:calendar-query>`)
	if err != nil {
		return nil, err
	}
	for _, r := range m.Responses {
		u, err := c.client.resolveHref(target, r.Href)
		if err != nil {
			return nil, err
		}
		code := statusCode(r.Status)
		if code == http.StatusInsufficientStorage { // RFC 5323 section 3.3: the answer was cut
			return nil, &StatusError{Method: "REPORT", Path: u.Path, Code: code, Attempts: 1}
		}
		p := r.okProps()
		name, in := childName(c.url, u)
		switch {
		case strings.Trim(u.Path, "/") == strings.Trim(c.url.Path, "/"):
		case !in:
			c.Foreign++
		case p.Data == "":
			c.Unreadable++
		default:
			list = append(list, Resource{Name: name, ETag: p.ETag, Data: p.Data, url: u})
		}
	}
	return list, nil
}

// Get reads a resource again.
func (c *Collection) Get(ctx context.Context, r Resource) (Resource, error) {
	a, err := c.client.do(ctx, "GET", c.resourceURL(r), nil, "")
	if err != nil {
		return r, err
	}
	if a.code != http.StatusOK {
		return r, statusError("GET", a)
	}
	r.ETag, r.Data = a.header.Get("ETag"), string(a.body)
	return r, nil
}

func (c *Collection) resourceURL(r Resource) *url.URL {
	if r.url != nil {
		return r.url
	}
	return childURL(c.url, r.Name, "")
}

// Put writes a resource: a new one only if none is, one with an ETag only while it
// is as it was. Done is 200, 201 or 204 alone.
func (c *Collection) Put(ctx context.Context, r Resource) error {
	header := map[string]string{"Content-Type": "text/calendar; charset=utf-8", "If-None-Match": "*"}
	if r.ETag != "" {
		delete(header, "If-None-Match")
		header["If-Match"] = r.ETag
	}
	return c.send(ctx, "PUT", r, header)
}

// Delete takes a resource away, while it is as it was.
func (c *Collection) Delete(ctx context.Context, r Resource) error {
	if r.ETag == "" {
		return errNoETag
	}
	r.Data = ""
	return c.send(ctx, "DELETE", r, map[string]string{"If-Match": r.ETag})
}

// errNoETag is a resource of which nobody can tell whether it is as it was.
var errNoETag = errors.New("the server sent no ETag for it")

func (c *Collection) send(ctx context.Context, method string, r Resource, header map[string]string) error {
	a, err := c.client.do(ctx, method, c.resourceURL(r), header, r.Data)
	if err != nil {
		return err
	}
	if method == "DELETE" && a.attempts > 1 && a.code == http.StatusNotFound {
		return nil // by a try that seemed to fail
	}
	switch a.code {
	case http.StatusOK, http.StatusCreated, http.StatusNoContent:
		return nil
	case http.StatusMultiStatus: // what it holds counts: some answer a conflict so
		m := &multistatus{}
		if xml.Unmarshal(a.body, m) == nil {
			for _, r := range m.Responses {
				codes := []int{statusCode(r.Status)}
				for _, s := range r.Props {
					codes = append(codes, statusCode(s.Status))
				}
				for _, code := range codes {
					if code >= 300 {
						a.code = code
					}
				}
			}
		}
	}
	return statusError(method, a)
}
