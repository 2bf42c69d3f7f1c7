package rest

import (
	"cmp"
	"context"
	"fmt"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
)

// This file tells where parts of a level came from, and brings newer versions there.

func (s *server) registerOrigins(a huma.API, tag string) {
	list := operation("GET", "/levels/{id}/origins", "list-origins", "Which presets the parts of a level came from", tag)
	list.Description = "As the service noted when they were taken; no edit changes it. Each with what was changed in the level since, and the newest version."
	huma.Register(a, list, func(ctx context.Context, in *LevelPath) (*outOrigins, error) {
		origins, err := s.Store.Origins(askerOf(ctx), in.ID)
		return answerList(s, origins, err)
	})
	update := operation("POST", "/levels/{id}/origins/update", "update-origins", "Bring what was taken to a newer version", tag)
	update.Description = "A merge by field: what was changed in the level since stays. What both have changed is a clash; the level's value holds unless the clash is named. One revision."
	huma.Register(a, update, func(ctx context.Context, in *struct {
		LevelPath
		Body api.UpdateOrigins
	}) (*out[api.Updated], error) {
		done, err := s.Store.UpdateOrigins(ctx, askerOf(ctx), in.ID, in.Body)
		if err == nil && !in.Body.Dry {
			s.Baker.TellRevision(api.RevisionEvent{Level: in.ID, Revision: done.Revision, Author: askerOf(ctx).Name, Label: "Bring presets to other versions"})
			s.follow(askerOf(ctx), in.ID)
		}
		return answer(s, done, err)
	})
	link := operation("POST", "/levels/{id}/origins", "link-rigs", "Have rigs of a level follow a preset", tag)
	link.Description = "For rigs that the preset was not put there as: copies, and those that were made here. Each must have as many things of each kind. What is other in a rig stays, as changed since. One revision."
	huma.Register(a, link, func(ctx context.Context, in *struct {
		LevelPath
		Body api.LinkRigs
	}) (*out[api.Linked], error) {
		in.Body.Owner = cmp.Or(in.Body.Owner, askerOf(ctx).Name)
		return linking(ctx, s, in.ID, func() (api.Linked, error) { return s.Store.LinkRigs(ctx, askerOf(ctx), in.ID, in.Body) })
	})
	give := operation("POST", "/levels/{id}/origins/{origin}/give", "give-to-others", "Give what a linked rig has to the others", tag)
	give.Description = "What the rig has becomes the next version of its preset, and the other rigs of the level that follow the preset are brought to it: a merge by field, so what each has of its own stays. Somebody else's preset is forked first."
	huma.Register(a, give, func(ctx context.Context, in *struct {
		LevelPath
		Origin string `path:"origin" maxLength:"64"`
		Body   api.GiveToOthers
	}) (*out[api.Given], error) {
		return linking(ctx, s, in.ID, func() (api.Given, error) {
			return s.Store.GiveToOthers(ctx, askerOf(ctx), in.ID, in.Origin, in.Body.Changes)
		})
	})
	end := operation("DELETE", "/levels/{id}/origins/{origin}", "end-origin", "Make what was taken the level's own", tag)
	end.Description = "It follows its preset no more. Nothing of the level changes."
	huma.Register(a, end, func(ctx context.Context, in *struct {
		LevelPath
		Origin string `path:"origin" maxLength:"64"`
	}) (*struct{}, error) {
		return nothing(s, s.Store.EndOrigin(askerOf(ctx), in.ID, in.Origin))
	})
	credits := operation("GET", "/levels/{id}/credits", "list-credits", "Whom to name for what a level shows", tag)
	credits.Description = "Images, profiles and presets, with credit and licence. As text where the query says so."
	credits.Responses = nil
	huma.Register(a, credits, func(ctx context.Context, in *LevelPath) (*outCredits, error) {
		lines, err := s.Store.Credits(askerOf(ctx), in.ID)
		if err != nil {
			return nil, s.problem(err)
		}
		return &outCredits{Body: creditsBody{lines, creditsText(lines)}}, nil
	})
}

// linking does what may add revisions to a level as rigs are linked. Where it did, also before an error, those who watch
// the level are told of the newest.
func linking[T any](ctx context.Context, s *server, id string, do func() (T, error)) (*out[T], error) {
	before, _, err := s.Store.Level(askerOf(ctx), id)
	if err != nil {
		return nil, s.problem(err)
	}
	done, err := do()
	if now, _, readErr := s.Store.Level(askerOf(ctx), id); readErr == nil && now.Revision > before.Revision {
		s.Baker.TellRevision(api.RevisionEvent{Level: id, Revision: now.Revision, Author: askerOf(ctx).Name, Label: "Link rigs to a preset"})
		s.follow(askerOf(ctx), id)
	}
	return answer(s, done, err)
}

type outOrigins = out[list[api.Origin]]

type outCredits struct{ Body creditsBody }

type creditsBody struct {
	Items []api.CreditLine `json:"items"`
	Text  string           `json:"text" doc:"The same as a text to put into a file."`
}

// creditsText is the lines as people put them into a file.
func creditsText(lines []api.CreditLine) string {
	var b strings.Builder
	for _, l := range lines {
		credit, licence := l.Credit, l.Licence
		if credit == "" {
			credit = "nobody is named"
		}
		if licence == "" && l.What != "preset" {
			licence = "no licence is stated"
		}
		fmt.Fprintf(&b, "%s (%s): %s", l.Name, l.What, credit)
		if licence != "" {
			fmt.Fprintf(&b, ", %s", licence)
		}
		b.WriteByte('\n')
	}
	return b.String()
}
