package plan

import (
	"errors"
	"fmt"
	"net/url"

	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/render"
)

// PublishTarget is where a plan's events are published to, and which.
type PublishTarget struct {
	Server, Collection string // "" where not told
	Series             []*schedule.Series
	Records            []*Record
	WholeOccurrences   bool // occurrences are published whole
}

// publishKeys are the keys of `publish`.
func (p *Plan) publishKeys() *keyGroup {
	o := outputReader{&Output{}, p}
	o.Format, _ = render.FindFormat("ics") // a record has events
	shows := func(names []textAt) error {
		err := o.setShown(names)
		p.Publish.Series, p.Publish.Records = o.Series, o.EventRecords
		return err
	}
	return &keyGroup{label: "publishing", keys: []*declare.Key{
		{Name: "to", Help: "the server's address", Example: "https://calendar.example/dav/",
			Value: textKind.Call(func(text string) error { p.Publish.Server = text; return checkAddress(text) })},
		{Name: "collection", Help: "the calendar's name on the server", Default: "the plan's id", Example: "Crew office",
			Value: textKind.Into(&p.Publish.Collection)},
		{Name: "of", Help: "the series and records to publish", Default: "all that have events",
			Example: "[crew-pay, crew-contracts]", Value: namesKind.Call(shows)},
		wholeKey(&p.Publish.WholeOccurrences),
	}}
}

// setPublishDefaults has all series and the records that have events published, if nothing
// says which.
func (p *Plan) setPublishDefaults() error {
	if p.Publish.Series != nil || p.Publish.Records != nil {
		return nil
	}
	p.Publish.Series = p.Series
	for _, r := range p.Records {
		if len(r.Events) > 0 {
			p.Publish.Records = append(p.Publish.Records, r)
		}
	}
	return nil
}

// checkAddress refuses an address that holds a secret, since plans are passed on.
func checkAddress(address string) error {
	u, err := url.Parse(address)
	switch {
	case err != nil || u.Host == "":
		return errors.New("expected the address of a calendar server, such as https://calendar.example/dav/")
	case u.User != nil:
		return fmt.Errorf("a plan is passed on, so it must not hold a user name or password; write %s://%s%s (see yoyaku publish --help)", u.Scheme, u.Host, u.Path)
	}
	return nil
}
