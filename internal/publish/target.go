package publish

import (
	"context"
	"sync/atomic"

	"yoyaku/internal/caldav"
	"yoyaku/internal/core/phrase"
)

// Target is the calendar on a server that events are published to.
type Target struct {
	Name      string
	NameGiven bool   // somebody gave it that name; otherwise one calendar there is taken for it
	Title     string // of a calendar that is made
	DryRun    bool   // nothing is done
	// Concurrency is how many requests are made at the same time.
	Concurrency int
}

// Reporter is where words for people go; Progress counts what is done until it is stopped.
type Reporter struct {
	Warn, Note func(format string, args ...any)
	Progress   func() (done *atomic.Int64, stop func())
}

// Publish finds the calendar, compares it with what is wanted, and makes it so. If the
// error came before anything was decided, there is no decision; otherwise it says why the
// work ended early.
func (t Target) Publish(ctx context.Context, client *caldav.Client, w Desired, tell Reporter) (*Decision, error) {
	store, d, err := t.decide(ctx, client, w, tell)
	if err != nil {
		return nil, err
	}
	if t.DryRun {
		return d, nil
	}
	if store.NotCreated {
		there, err := store.Create(ctx, t.Title)
		if err != nil {
			return nil, err
		}
		if there { // by another publisher, who may have put events there
			if store, d, err = t.decide(ctx, client, w, tell); err != nil {
				return nil, err
			}
		}
	}
	done, stop := tell.Progress()
	defer stop()
	return d, d.Apply(ctx, store, t.Concurrency, done)
}

// decide finds the calendar and compares it with what is wanted.
func (t Target) decide(ctx context.Context, client *caldav.Client, w Desired, tell Reporter) (*caldav.Collection,
	*Decision, error) {
	store, err := client.Find(ctx, t.Name, t.NameGiven)
	if err != nil {
		return nil, nil, err
	}
	there, err := store.List(ctx)
	if err != nil {
		return nil, nil, err
	}
	if n := store.Foreign; n > 0 {
		verb := phrase.CountVerb(n, "is", "are")
		tell.Warn("%s that the server lists %s outside %s; %s not touched", phrase.Plural(n, "resource"), verb,
			store.Path(), verb)
	}
	d, err := decide(w, there)
	if err != nil {
		return nil, nil, err
	}
	if d.Unread += store.Unreadable; d.Unread > 0 {
		tell.Warn("%s there can't be read; it was left alone", phrase.Plural(d.Unread, "resource"))
	}
	if store.NotCreated && t.DryRun {
		tell.Note("there is no calendar %s on the server yet; publishing creates it", store.Path())
	}
	return store, d, nil
}
