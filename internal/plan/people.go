package plan

import (
	"fmt"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/declare"
	"yoyaku/internal/ical"
)

// Owner is one of the people of a plan.
type Owner struct{ Name, Title, Mail string }

// Contact is how an event names the owner.
func (o Owner) Contact() string {
	switch {
	case o.Title == "":
		return o.Name
	case o.Mail == "":
		return o.Title
	}
	return fmt.Sprintf("%s <%s>", o.Title, o.Mail)
}

// OwnerNamed is the name of one of the people as the plan has it.
func (p *Plan) OwnerNamed(name string) (string, error) {
	if o := p.owner(name); o != nil {
		return o.Name, nil
	}
	var known []string
	for _, o := range p.Owners {
		known = append(known, o.Name)
	}
	hint := "add people under `people`"
	if near := phrase.Nearest(name, known); near != "" {
		hint = "did you mean `" + near + "`?"
	} else if known != nil {
		hint = "the people are " + phrase.Names(known)
	}
	return "", fmt.Errorf("unknown owner `%s`; %s", name, hint)
}

// owner is one of the people by name, or nil.
func (p *Plan) owner(name string) *Owner {
	if i := p.ownersAt.find(name, len(p.Owners), func(i int) string { return p.Owners[i].Name }); i >= 0 {
		return &p.Owners[i]
	}
	return nil
}

// Event makes the event of an entry of the plan.
func (p *Plan) Event(e schedule.Entry) schedule.Event {
	event := e.Event(p.ID)
	if event.Owner != "" {
		event.Contact = event.Owner
		if o := p.owner(event.Owner); o != nil {
			event.Owner, event.Contact = o.Name, o.Contact()
		}
	}
	return event
}

// ownerAt is where a milestone names its owner.
type ownerAt struct {
	name, series string
	at           Spot
}

func (o *Owner) group() *group {
	return &group{what: "a person", keys: []*declare.Key{
		{Name: "name", Help: "the name shown in calendars", Example: "Di Gull", Takes: aText.Into(&o.Title)},
		{Name: "mail", Help: "the e-mail address", Example: "di@skerry.example", Takes: aText.Into(&o.Mail)},
	}}
}

// addOwner reads one of `people`.
func (p *Plan) addOwner(v *node) error {
	if v.name == nobody {
		return v.fail("`%s` means no owner; choose another name", nobody)
	}
	o := Owner{Name: v.name}
	err := o.group().fill(entry(v.doc, v.name, v.val))
	p.Owners = append(p.Owners, o)
	return err
}

// unknownOwners finds milestones whose owner isn't one of the people.
func (p *Plan) unknownOwners() error {
	for _, o := range p.owners {
		if _, err := p.OwnerNamed(o.name); err != nil {
			p.fault(o.at, o.series, "%v", err)
		}
	}
	return nil
}

// nobody stands for the tasks without an owner.
const nobody = "none"

// Within reports whether an event of the plan lies in a window: by its own day, or where
// occurrences are taken whole, by the moved date of its occurrence.
func (p *Plan) Within(uid string, at eval.Value, window civil.Span, whole bool) bool {
	if !whole {
		return window.Has(at.Day)
	}
	series, what, id := ical.Identity(uid)
	if s := p.Find(series); s != nil && what != "date" {
		if m, ok := s.Date(id); ok {
			return window.Has(m.To)
		}
	}
	return window.Has(at.Day)
}
