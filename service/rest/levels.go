package rest

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/exchange"
	"grotta/core/level"
	"grotta/demo"
	"grotta/service/store"
)

// LevelPath is the part of a path that names a level. (Exported for huma, which
// skips embedded fields that are not.)
type LevelPath struct {
	ID string `path:"id" doc:"Id of a level."`
}

// RevisionQuery asks for a level as it was.
type RevisionQuery struct {
	Revision int `query:"revision" minimum:"0" doc:"As it was at this revision; the newest if left out."`
}

// at is a level as it was at a revision, or as it is for 0.
func (s *server) at(ctx context.Context, id string, revision int) (api.LevelInfo, *level.Level, error) {
	info, doc, err := s.Store.Level(askerOf(ctx), id)
	if err != nil || revision == 0 {
		return info, doc, err
	}
	info.Revision = revision
	doc, err = s.Store.LevelAt(ctx, askerOf(ctx), id, revision)
	return info, doc, err
}

type documentOut struct {
	ETag string `header:"ETag"`
	Body api.Document
}

type revisionOut struct {
	ETag string `header:"ETag"`
	Body api.Revision
}

func etag(revision int) string { return strconv.Quote(strconv.Itoa(revision)) }

// baseOf reads If-Match: the revision that a change is based on.
func baseOf(header string) (int, error) {
	if header == "" || header == "*" {
		return 0, nil
	}
	n, err := strconv.Atoi(strings.Trim(strings.TrimPrefix(header, "W/"), `"`))
	if err != nil || n < 1 {
		return 0, newProblem(http.StatusBadRequest, fmt.Sprintf("If-Match is %s; the ETag of a level is needed, such as \"12\"", header))
	}
	return n, nil
}

func (s *server) registerLevels(a huma.API) {
	const tag = "levels"
	huma.Register(a, operation("GET", "/levels", "list-levels", "List the levels you may see", tag),
		func(ctx context.Context, _ *struct{}) (*out[list[api.LevelInfo]], error) {
			levels, err := s.Store.Levels(askerOf(ctx))
			return answerList(s, levels, err)
		})
	huma.Register(a, operation("POST", "/levels", "create-level", "Make a level", tag),
		func(ctx context.Context, in *struct{ Body api.NewLevel }) (*out[api.LevelInfo], error) {
			l := demo.Start(in.Body.From)
			if in.Body.Name != "" {
				l.Name = in.Body.Name
			}
			info, err := s.Store.CreateLevel(askerOf(ctx), l, "create")
			return answer(s, info, err)
		})
	s.registerImport(a, tag)
	huma.Register(a, operation("GET", "/levels/{id}", "get-level", "Read a level's document", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			RevisionQuery
		}) (*documentOut, error) {
			doc, err := s.Store.Document(askerOf(ctx), in.ID)
			if err == nil && in.Revision > 0 {
				doc.Level.Revision = in.Revision
				doc.Document, err = s.Store.LevelAt(ctx, askerOf(ctx), in.ID, in.Revision)
			}
			if err != nil {
				return nil, s.problem(err)
			}
			return &documentOut{etag(doc.Level.Revision), doc}, nil
		})
	huma.Register(a, operation("DELETE", "/levels/{id}", "delete-level", "Delete a level; it can be had back for 30 days", tag),
		func(ctx context.Context, in *LevelPath) (*struct{}, error) {
			return nothing(s, s.Store.DeleteLevel(askerOf(ctx), in.ID, s.Now()))
		})
	huma.Register(a, operation("POST", "/levels/{id}/copy", "copy-level", "Copy a level, with or without its history", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			Body api.LevelCopy
		}) (*out[api.LevelInfo], error) {
			info, err := s.Store.CopyLevel(askerOf(ctx), in.ID, in.Body)
			return answer(s, info, err)
		})
	s.registerRemoved(a, tag)
	edit := operation("POST", "/levels/{id}/operations", "edit-level", "Change a level", tag)
	edit.Description = "Applies an operation as a new revision. With If-Match, the ETag of the revision that you saw, a change of a field that somebody else changed since is refused as a conflict; other changes stand beside each other."
	edit.MaxBodyBytes = 8 << 20
	huma.Register(a, edit, func(ctx context.Context, in *struct {
		LevelPath
		IfMatch string `header:"If-Match"`
		Body    level.Operation
	}) (*revisionOut, error) {
		base, err := baseOf(in.IfMatch)
		if err != nil {
			return nil, err
		}
		return s.revised(ctx, in.ID, func() (api.Revision, error) {
			return s.Store.Apply(ctx, askerOf(ctx), in.ID, in.Body, base)
		})
	})
	huma.Register(a, operation("POST", "/levels/{id}/undo", "undo", "Take back your newest change", tag),
		func(ctx context.Context, in *LevelPath) (*revisionOut, error) {
			return s.revised(ctx, in.ID, func() (api.Revision, error) { return s.Store.Undo(ctx, askerOf(ctx), in.ID) })
		})
	huma.Register(a, operation("POST", "/levels/{id}/redo", "redo", "Do again what you took back", tag),
		func(ctx context.Context, in *LevelPath) (*revisionOut, error) {
			return s.revised(ctx, in.ID, func() (api.Revision, error) { return s.Store.Redo(ctx, askerOf(ctx), in.ID) })
		})
	huma.Register(a, operation("GET", "/levels/{id}/revisions", "list-revisions", "Read a level's history", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			Before int `query:"before" minimum:"0" doc:"Only revisions before this one."`
			Limit  int `query:"limit" minimum:"1" maximum:"500" default:"50"`
		}) (*out[list[api.Revision]], error) {
			revisions, err := s.Store.History(askerOf(ctx), in.ID, in.Before, in.Limit)
			return answerList(s, revisions, err)
		})
	huma.Register(a, operation("GET", "/levels/{id}/revisions/{number}/changes", "list-changes", "What differs between a level at a revision and now", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			Number int `path:"number" minimum:"1"`
		}) (*out[list[level.Change]], error) {
			changes, err := s.Store.Changes(ctx, askerOf(ctx), in.ID, in.Number)
			return answerList(s, changes, err)
		})
	restore := operation("POST", "/levels/{id}/restore", "restore", "Make a level what it was at a revision", tag)
	restore.Description = "A new revision, which can be undone like any other. With only, just these things become what they were: one that was removed comes back, one that was added goes."
	huma.Register(a, restore, func(ctx context.Context, in *struct {
		LevelPath
		Body api.Restore
	}) (*revisionOut, error) {
		return s.revised(ctx, in.ID, func() (api.Revision, error) {
			return s.Store.Restore(ctx, askerOf(ctx), in.ID, in.Body.Revision, in.Body.Only)
		})
	})
	huma.Register(a, operation("PUT", "/levels/{id}/members/{user}", "share-level", "Share a level with somebody", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			User string `path:"user"`
			Body struct {
				Role string `json:"role" enum:"editor,commenter,viewer"`
			}
		}) (*struct{}, error) {
			return nothing(s, s.Store.SetMember(askerOf(ctx), in.ID, in.User, in.Body.Role))
		})
	huma.Register(a, operation("PUT", "/levels/{id}/owner", "give-level", "Make somebody else the owner of a level", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			Body api.NewOwner
		}) (*struct{}, error) {
			return nothing(s, s.Store.GiveLevel(askerOf(ctx), in.ID, in.Body.User))
		})
	huma.Register(a, operation("DELETE", "/levels/{id}/members/{user}", "unshare-level", "Take a level back from somebody", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			User string `path:"user"`
		}) (*struct{}, error) {
			return nothing(s, s.Store.SetMember(askerOf(ctx), in.ID, in.User, ""))
		})
	s.registerExport(a, tag)
	s.registerExportReport(a, tag)
	s.registerEvents(a, tag)
	s.registerVariants(a, tag)
}

// registerRemoved serves the levels that were deleted and can be had back.
func (s *server) registerRemoved(a huma.API, tag string) {
	huma.Register(a, operation("GET", "/removed-levels", "list-removed", "List your deleted levels that can be had back", tag),
		func(ctx context.Context, _ *struct{}) (*out[list[api.LevelInfo]], error) {
			levels, err := s.Store.Removed(askerOf(ctx), s.Now())
			return answerList(s, levels, err)
		})
	huma.Register(a, operation("POST", "/removed-levels/{id}/recover", "recover-level", "Have a deleted level back", tag),
		func(ctx context.Context, in *LevelPath) (*struct{}, error) {
			return nothing(s, s.Store.RecoverLevel(askerOf(ctx), in.ID))
		})
	huma.Register(a, operation("DELETE", "/removed-levels/{id}", "erase-level", "Delete a deleted level for good, with its history", tag),
		func(ctx context.Context, in *LevelPath) (*struct{}, error) {
			return nothing(s, s.Store.EraseLevel(askerOf(ctx), in.ID))
		})
}

// revised tells the level's watchers of a revision that fn makes.
func (s *server) revised(ctx context.Context, id string, fn func() (api.Revision, error)) (*revisionOut, error) {
	rev, err := fn()
	if err != nil {
		return nil, s.problem(err)
	}
	s.Baker.TellRevision(api.RevisionEvent{Level: id, Revision: rev.Number, Author: rev.Author, Label: rev.Label})
	s.follow(askerOf(ctx), id)
	return &revisionOut{etag(rev.Number), rev}, nil
}

type fileOut struct {
	ContentType string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Body        []byte
}

func (s *server) registerExport(a huma.API, tag string) {
	op := heavy(operation("GET", "/levels/{id}/export", "export-level", "Hand a level back as a file", tag))
	op.Responses = binaryResponse("model/gltf-binary", "application/json", "text/csv")
	huma.Register(a, op, func(ctx context.Context, in *struct {
		LevelPath
		RevisionQuery
		Format string `query:"format" enum:"glb,json,csv,lights" default:"glb" doc:"glb: glTF 2.0, binary; json: the level document; csv and lights: a list of the lights, with units, as CSV or JSON."`
	}) (*fileOut, error) {
		info, doc, err := s.at(ctx, in.ID, in.Revision)
		contentType, ending, data := "model/gltf-binary", in.Format, []byte(nil)
		switch {
		case in.Format == "json" && err == nil && in.Revision > 0:
			contentType = "application/json"
			data, err = level.Encode(doc)
		case in.Format == "json" && (err == nil || errors.Is(err, store.ErrUnreadable)): // also one that no longer reads
			contentType = "application/json"
			data, err = s.Store.Text(askerOf(ctx), in.ID)
		case err == nil && in.Format == "csv":
			contentType, data = "text/csv; charset=utf-8", exchange.LightsCSV(doc)
		case err == nil && in.Format == "lights":
			contentType, ending = "application/json", "lights.json"
			data, err = exchange.LightsJSON(doc)
		case err == nil:
			data, _, err = exchange.WriteGLTF(doc)
		}
		if err != nil {
			return nil, s.problem(err)
		}
		return &fileOut{contentType, fmt.Sprintf("attachment; filename=%q", fileName(info.Name)+"."+ending), data}, nil
	})
}

func (s *server) registerExportReport(a huma.API, tag string) {
	op := heavy(operation("GET", "/levels/{id}/export/report", "report-export", "What an export leaves out or changes", tag))
	op.Description = "Of the level as glTF, by thing."
	huma.Register(a, op, func(ctx context.Context, in *struct {
		LevelPath
		RevisionQuery
	}) (*out[api.ExchangeReport], error) {
		_, doc, err := s.at(ctx, in.ID, in.Revision)
		if err != nil {
			return nil, s.problem(err)
		}
		_, report, err := exchange.WriteGLTF(doc)
		if err != nil {
			return nil, s.problem(err)
		}
		return answer(s, reportOfExchange(report), nil)
	})
}

func fileName(name string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' {
			return r
		}
		return '-'
	}, name)
}

// binaryResponse describes an answer that is no JSON.
func binaryResponse(types ...string) map[string]*huma.Response {
	content := map[string]*huma.MediaType{}
	for _, t := range types {
		content[t] = &huma.MediaType{Schema: &huma.Schema{Type: "string", Format: "binary"}}
	}
	return map[string]*huma.Response{"200": {Description: "The file.", Content: content}}
}
