package plan

import (
	"errors"
	"fmt"
	"net/url"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/schedule"
)

// Publishing is where a plan's events are published to, and which.
type Publishing struct {
	To, Collection string // "" where not told
	Series         []*schedule.Series
	Records        []*Record
	Whole          bool // occurrences are published whole
}

// publishing reads the key `publish`. Without it, or its `of`, all series and the
// records that have events are published.
func (p *Plan) publishing(d *doc, n ast.Node) error {
	o := &Output{places: places{doc: d, item: n, keys: map[string]ast.Node{}}}
	if n != nil {
		if err := d.each(n, publishShape, func(key string, _, v ast.Node) (err error) {
			switch key {
			case "to":
				p.Publish.To, err = d.text(v)
				if err == nil {
					err = checkAddress(p.Publish.To)
				}
			case "collection":
				p.Publish.Collection, err = d.text(v)
			case "choose":
				p.Publish.Whole, err = d.whole(v)
			default:
				o.Format.Events = true // a record has them
				err = p.of(d, o, v)
			}
			return err
		}); err != nil {
			return err
		}
	}
	if p.Publish.Series, p.Publish.Records = o.Of, o.Rows; o.Of == nil && o.Rows == nil {
		p.Publish.Series = p.Series
		for _, r := range p.Records {
			if len(r.Events) > 0 {
				p.Publish.Records = append(p.Publish.Records, r)
			}
		}
	}
	return nil
}

// checkAddress refuses an address that holds a secret, since plans are passed on.
func checkAddress(address string) error {
	u, err := url.Parse(address)
	switch {
	case err != nil || u.Host == "":
		return errors.New("the address of a calendar server is such as https://calendar.example/dav/")
	case u.User != nil:
		return fmt.Errorf("who you are doesn't belong into a plan, which is passed on; write %s://%s%s and see yoyaku publish --help", u.Scheme, u.Host, u.Path)
	}
	return nil
}
