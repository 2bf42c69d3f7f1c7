package rest

import (
	"context"
	"net/url"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/level"
	"grotta/service/store"
)

// This file tells people what others did that is about them, and admins what everybody did.

func (s *server) registerNotices(a huma.API) {
	const tag = "notices"
	huma.Register(a, operation("GET", "/notices", "list-notices", "What others did that is about you, the newest first", tag),
		func(ctx context.Context, in *struct {
			Unread bool `query:"unread" doc:"Only those that you have not read."`
		}) (*out[list[api.Notice]], error) {
			notices, err := s.Store.Notices(askerOf(ctx), in.Unread)
			return answerList(s, notices, err)
		})
	huma.Register(a, operation("POST", "/notices/read", "read-notices", "Say that you have read notices", tag),
		func(ctx context.Context, in *struct {
			Body struct {
				IDs []string `json:"ids,omitzero" maxItems:"500" required:"false" doc:"All if left out."`
			}
		}) (*struct{}, error) {
			return nothing(s, s.Store.ReadNotices(askerOf(ctx), in.Body.IDs, s.Now()))
		})
	huma.Register(a, operation("GET", "/webhooks", "list-webhooks", "List the addresses that your notices are sent to", tag),
		func(ctx context.Context, _ *struct{}) (*out[list[api.Webhook]], error) {
			hooks, err := s.Store.Webhooks(askerOf(ctx))
			return answerList(s, hooks, err)
		})
	create := operation("POST", "/webhooks", "create-webhook", "Have your notices sent to an address", tag)
	create.Description = "Each notice is sent as JSON by POST, signed as the Standard Webhooks specification says: the header webhook-signature is v1 and the HMAC-SHA256 of id, time and body. What fails is tried again for a day."
	huma.Register(a, create, func(ctx context.Context, in *struct{ Body api.NewWebhook }) (*out[api.Webhook], error) {
		u, err := url.Parse(in.Body.URL)
		if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Hostname() == "" || u.User != nil {
			return nil, s.problem(&level.Invalid{Faults: []level.Fault{{Path: "/url", Message: "is no address; https://HOST/PATH is needed, without a name and password"}}})
		}
		if err := s.mayHook(u.Hostname()); err != nil {
			return nil, s.problem(&level.Invalid{Faults: []level.Fault{{Path: "/url", Message: err.Error()}}})
		}
		hook, err := s.Store.NewWebhook(askerOf(ctx), in.Body.URL)
		return answer(s, hook, err)
	})
	huma.Register(a, operation("DELETE", "/webhooks/{webhook}", "delete-webhook", "End a webhook", tag),
		func(ctx context.Context, in *struct {
			Webhook string `path:"webhook" maxLength:"64"`
		}) (*struct{}, error) {
			return nothing(s, s.Store.DeleteWebhook(askerOf(ctx), in.Webhook))
		})
}

// mayHook judges the host of a webhook.
func (s *server) mayHook(host string) error {
	if s.MayHook == nil {
		return nil
	}
	return s.MayHook(host)
}

func (s *server) registerAudit(a huma.API) {
	op := operation("GET", "/audit", "list-audit", "Who did what, the newest first", "people")
	op.Description = "What people may, who may see what, and what is made and removed. Edits of levels stand in their histories. Entries are kept for 400 days."
	huma.Register(a, op, func(_ context.Context, in *struct {
		Who    string `query:"who" maxLength:"64"`
		Action string `query:"action" maxLength:"64" doc:"Id of an operation."`
		About  string `query:"about" maxLength:"200" doc:"A part of what it was about."`
		Before int    `query:"before" minimum:"0" doc:"Only entries before this number."`
		Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"100"`
	}) (*out[list[api.AuditEntry]], error) {
		entries, err := s.Store.AuditList(store.AuditSearch{Who: in.Who, Action: in.Action, About: in.About, Before: in.Before, Limit: in.Limit})
		return answerList(s, entries, err)
	})
}

// audit notes that somebody did something.
func (s *server) audit(who, action, about string) {
	if err := s.Store.Audit(who, action, about, s.Now()); err != nil {
		s.Log.Error("an action was not noted", "who", who, "action", action, "error", err)
	}
}
