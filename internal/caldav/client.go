// Package caldav reaches a calendar collection on a server over CalDAV (RFC 4791): it
// finds it, lists what is in it, and puts and deletes single resources. It knows
// nothing of plans.
package caldav

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync/atomic"
	"time"
)

// Client speaks to one server as one user.
type Client struct {
	base           *url.URL
	user, password string
	http           *http.Client
	requests       atomic.Int64
	// Pause waits before a request is tried again; tests put their own in its place.
	Pause func(ctx context.Context, d time.Duration) error
}

// AddressError is an address that may not be used.
type AddressError struct{ Reason string }

// Error gives the reason.
func (e *AddressError) Error() string { return e.Reason }

// ProtocolError is an answer of the server that makes no sense.
type ProtocolError struct{ Reason string }

// Error gives the reason.
func (e *ProtocolError) Error() string { return e.Reason }

// requestTimeout is how long one request may take, maxResponseBytes how many bytes an
// answer may have, maxRedirects how often one may lead elsewhere.
const (
	requestTimeout   = 60 * time.Second
	maxResponseBytes = 48 << 20 // unpacked
	maxRedirects     = 5
)

// New prepares to speak to the server at an address. Passwords go over https, and over
// plain http to this machine alone.
func New(address, user, password string) (*Client, error) {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return nil, &AddressError{"expected the address of a calendar server, such as https://calendar.example/dav/"}
	}
	if u.User != nil {
		return nil, &AddressError{"the address contains a user name; leave it out, since addresses are kept and shown"}
	}
	if u.Scheme == "http" && !isLoopback(u.Hostname()) {
		return nil, &AddressError{"http:// would send the password unencrypted; use https:// (http:// is only for this machine)"}
	}
	u.Fragment, u.RawQuery = "", ""
	if u.Path == "" {
		u.Path = "/"
	}
	c := &Client{base: u, user: user, password: password, Pause: pause}
	c.http = &http.Client{Timeout: requestTimeout, CheckRedirect: func(*http.Request,
		[]*http.Request) error {
		return http.ErrUseLastResponse
	},
		Transport: &http.Transport{Proxy: http.ProxyFromEnvironment, MaxIdleConnsPerHost: 64, ForceAttemptHTTP2: true}}
	return c, nil
}

// isLoopback reports whether a host is this machine by its loopback address.
func isLoopback(host string) bool {
	ip := net.ParseIP(host)
	return strings.EqualFold(host, "localhost") || ip != nil && ip.IsLoopback()
}

// Requests counts the requests that were sent.
func (c *Client) Requests() int { return int(c.requests.Load()) }

// Host is the server's name, for messages.
func (c *Client) Host() string { return c.base.Host }

func pause(ctx context.Context, d time.Duration) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(d):
		return nil
	}
}

// StatusError is an answer that isn't what was asked for.
type StatusError struct {
	Method, Path string
	Code         int
	Condition    string // the precondition that the answer names, such as no-uid-conflict
	Attempts     int    // how often
}

// Error says what was asked and what came.
func (e *StatusError) Error() string {
	if e.Code == http.StatusUnauthorized {
		return fmt.Sprintf("the server rejected the user name or password (401 at %s)", e.Path)
	}
	text := fmt.Sprintf("the server answered %s of %s with %d", e.Method, e.Path, e.Code)
	if name := http.StatusText(e.Code); name != "" {
		text += " " + name
	}
	if e.Condition != "" {
		text += " (" + e.Condition + ")"
	}
	if e.Attempts > 1 {
		text += fmt.Sprintf(", tried %d times", e.Attempts)
	}
	return text
}

// uidConflict is the precondition that a UID names one resource (RFC 4791 section 5.3.2.1).
const uidConflict = "no-uid-conflict"

// UnreachableError is a server that can't be reached, or a connection that broke.
type UnreachableError struct {
	Host string
	Err  error
}

// Error says which server, and what the machine says of it.
func (e *UnreachableError) Error() string { return e.Host + " can't be reached: " + e.Err.Error() }

// Unwrap returns what the machine says.
func (e *UnreachableError) Unwrap() error { return e.Err }

// IsDenied reports whether an error means that the server doesn't let this user in.
func IsDenied(err error) bool {
	var s *StatusError
	return errors.As(err, &s) && (s.Code == http.StatusUnauthorized || s.Code == http.StatusForbidden) && s.Condition == ""
}

// IsPreconditionFailed reports whether an error means that a resource isn't as it was (412).
func IsPreconditionFailed(err error) bool {
	var s *StatusError
	return errors.As(err, &s) && s.Code == http.StatusPreconditionFailed && s.Condition != uidConflict
}

// IsUIDConflict reports whether an error means that the UID is that of another resource.
func IsUIDConflict(err error) bool {
	var s *StatusError
	return errors.As(err, &s) && (s.Condition == uidConflict || s.Code == http.StatusConflict)
}

// IsNotFound reports whether an error means that nothing is there.
func IsNotFound(err error) bool {
	var s *StatusError
	return errors.As(err, &s) && (s.Code == http.StatusNotFound || s.Code == http.StatusGone)
}

// httpReply is a server's response, read whole.
type httpReply struct {
	code     int
	body     []byte
	header   http.Header
	url      *url.URL
	attempts int
}

// maxAttempts is how often a request is made that is safe to repeat.
const maxAttempts = 3

// do sends a request, follows redirects on the same server, and tries again on 429,
// 503 and broken connections. What is asked must be safe to repeat: reading, or a
// write with a condition.
func (c *Client) do(ctx context.Context, method string, target *url.URL, header map[string]string,
	body string) (*httpReply, error) {
	for n := 1; ; n++ {
		a, err := c.doOnce(ctx, method, target, header, body)
		wait := time.Duration(n) * time.Second
		switch {
		case err == nil && a.code != http.StatusTooManyRequests && a.code != http.StatusServiceUnavailable:
			a.attempts = n
			return a, nil
		case n == maxAttempts && err == nil:
			a.attempts = n
			return a, nil
		case n == maxAttempts || ctx.Err() != nil || errors.As(err, new(*AddressError)) || errors.As(err, new(*ProtocolError)) ||
			isDialError(err):
			return nil, err
		case err == nil:
			if s, serr := strconv.Atoi(a.header.Get("Retry-After")); serr == nil && s >= 0 {
				wait = min(time.Duration(s)*time.Second, requestTimeout)
			} else if t, terr := http.ParseTime(a.header.Get("Retry-After")); terr == nil {
				wait = max(0, min(time.Until(t), requestTimeout))
			}
		}
		if err := c.Pause(ctx, wait); err != nil {
			return nil, err
		}
	}
}

// isDialError reports whether no connection came about, so that trying again is idle.
func isDialError(err error) bool {
	var op *net.OpError
	return errors.As(err, &op) && op.Op == "dial"
}

// doOnce sends a request without trying again.
func (c *Client) doOnce(ctx context.Context, method string, target *url.URL, header map[string]string,
	body string) (*httpReply, error) {
	for range maxRedirects {
		res, data, err := c.roundTrip(ctx, method, target, header, body)
		if err != nil {
			return nil, err
		}
		switch res.StatusCode {
		case http.StatusMovedPermanently, http.StatusFound, http.StatusTemporaryRedirect, http.StatusPermanentRedirect:
			to, err := target.Parse(res.Header.Get("Location"))
			if err != nil || res.Header.Get("Location") == "" {
				return nil, &ProtocolError{"the server sent a redirect without an address"}
			}
			if !c.sameOrigin(to) {
				return nil, &AddressError{fmt.Sprintf(
					"the server redirects to %s://%s; the password is only sent to %s. If the new address is right, publish to it", to.Scheme,
					to.Host, c.base.Host)}
			}
			target = to
		default:
			return &httpReply{code: res.StatusCode, body: data, header: res.Header, url: target}, nil
		}
	}
	return nil, &ProtocolError{"the server redirects in a circle"}
}

// roundTrip sends one request and reads the whole reply, at most maxResponseBytes. A write that
// was begun is finished even if ctx ends, so that nothing is left half done.
func (c *Client) roundTrip(ctx context.Context, method string, target *url.URL, header map[string]string,
	body string) (*http.Response, []byte, error) {
	if ctx.Err() != nil {
		return nil, nil, ctx.Err()
	}
	if method == "PUT" || method == "DELETE" || method == "MKCALENDAR" {
		ctx = context.WithoutCancel(ctx)
	}
	req, err := http.NewRequestWithContext(ctx, method, target.String(), strings.NewReader(body))
	if err != nil {
		return nil, nil, err
	}
	for k, v := range header {
		req.Header.Set(k, v)
	}
	req.Header.Set("User-Agent", "yoyaku")
	if c.user != "" || c.password != "" {
		req.SetBasicAuth(c.user, c.password)
	}
	c.requests.Add(1)
	res, err := c.http.Do(req)
	var data []byte
	if err == nil {
		data, err = io.ReadAll(io.LimitReader(res.Body, maxResponseBytes+1))
		res.Body.Close()
	}
	switch {
	case err != nil && ctx.Err() != nil:
		return nil, nil, ctx.Err()
	case err != nil:
		if wrapped := (*url.Error)(nil); errors.As(err, &wrapped) {
			err = wrapped.Err
		}
		return nil, nil, &UnreachableError{c.base.Host, err}
	case len(data) > maxResponseBytes:
		return nil, nil, &ProtocolError{fmt.Sprintf("the server's answer is larger than %d MB", maxResponseBytes>>20)}
	}
	return res, data, nil
}

// sameOrigin reports whether an address is of the same scheme, host and port.
func (c *Client) sameOrigin(u *url.URL) bool {
	port := func(u *url.URL) string {
		if p := u.Port(); p != "" {
			return p
		}
		return map[string]string{"http": "80", "https": "443"}[u.Scheme]
	}
	return u.Scheme == c.base.Scheme && strings.EqualFold(u.Hostname(), c.base.Hostname()) &&
		port(u) == port(c.base) && u.User == nil
}

// resolveHref resolves an href of an answer; one that leads to another server is refused.
func (c *Client) resolveHref(target *url.URL, href string) (*url.URL, error) {
	u, err := target.Parse(strings.TrimSpace(href))
	if err != nil || !c.sameOrigin(u) {
		return nil, &ProtocolError{fmt.Sprintf("the server answered with an address that isn't its own: %.80q", href)}
	}
	return u, nil
}

// statusError is the error of an answer.
func statusError(method string, a *httpReply) error {
	e := &StatusError{Method: method, Path: a.url.Path, Code: a.code, Attempts: a.attempts}
	for _, name := range []string{uidConflict, "valid-calendar-data", "supported-calendar-component",
		"max-resource-size"} {
		if bytes.Contains(a.body, []byte(name)) {
			e.Condition = name
			break
		}
	}
	return e
}

// multistatus is a 207 answer (RFC 4918 section 14.16).
type multistatus struct {
	XMLName   xml.Name   `xml:"DAV: multistatus"`
	Responses []response `xml:"DAV: response"`
}

type response struct {
	Href   string `xml:"DAV: href"`
	Status string `xml:"DAV: status"`
	Props  []struct {
		Status string `xml:"DAV: status"`
		Prop   prop   `xml:"DAV: prop"`
	} `xml:"DAV: propstat"`
}

type href struct {
	Href string `xml:"DAV: href"`
}

type prop struct {
	Principal *href  `xml:"DAV: current-user-principal"`
	Home      *href  `xml:"urn:ietf:params:xml:ns:caldav calendar-home-set"`
	Name      string `xml:"DAV: displayname"`
	ETag      string `xml:"DAV: getetag"`
	Data      string `xml:"urn:ietf:params:xml:ns:caldav calendar-data"`
	Type      *struct {
		Collection *struct{} `xml:"DAV: collection"`
		Calendar   *struct{} `xml:"urn:ietf:params:xml:ns:caldav calendar"`
	} `xml:"DAV: resourcetype"`
}

// statusCode is the code of a status line such as HTTP/1.1 200 OK.
func statusCode(line string) int {
	f := strings.Fields(line)
	if len(f) < 2 {
		return 0
	}
	n, _ := strconv.Atoi(f[1])
	return n
}

// okProps joins the properties of a response that are there.
func (r *response) okProps() (p prop) {
	for _, s := range r.Props {
		if code := statusCode(s.Status); code != 200 && code != 0 {
			continue
		}
		q := s.Prop
		if q.Principal != nil && q.Principal.Href != "" {
			p.Principal = q.Principal
		}
		if q.Home != nil && q.Home.Href != "" {
			p.Home = q.Home
		}
		if q.Type != nil {
			p.Type = q.Type
		}
		p.Name, p.ETag, p.Data = p.Name+q.Name, p.ETag+q.ETag, p.Data+q.Data
	}
	return p
}

func (p *prop) isCalendar() bool { return p.Type != nil && p.Type.Calendar != nil }

// multistatus sends a request that is answered with 207.
func (c *Client) multistatus(ctx context.Context, method string, target *url.URL, depth, body string) (*multistatus,
	*url.URL, error) {
	a, err := c.do(ctx, method, target, map[string]string{"Depth": depth,
		"Content-Type": "application/xml; charset=utf-8"}, `<?xml version="1.0" encoding="utf-8"?>`+"\n"+body)
	if err != nil {
		return nil, nil, err
	}
	if a.code != http.StatusMultiStatus {
		return nil, nil, statusError(method, a)
	}
	m := &multistatus{}
	if err := xml.Unmarshal(a.body, m); err != nil {
		return nil, nil, &ProtocolError{fmt.Sprintf("the server's answer to %s of %s can't be read: %v", method,
			a.url.Path, err)}
	}
	return m, a.url, nil
}
