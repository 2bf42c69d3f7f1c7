package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"grotta/api"
)

// This file has the calls about people who work together.

// tell is a call whose answer has no body.
func (c *Client) tell(ctx context.Context, method, path string, body any) error {
	_, err := c.do(ctx, call{method: method, path: path, body: body}, nil)
	return err
}

// Teams lists those that the user is in.
func (c *Client) Teams(ctx context.Context) ([]api.Team, error) {
	return getList[api.Team](ctx, c, "/teams", nil)
}

// NewTeam makes a team that the user owns.
func (c *Client) NewTeam(ctx context.Context, want api.NewTeam) error {
	return c.tell(ctx, http.MethodPost, "/teams", want)
}

// DeleteTeam deletes a team.
func (c *Client) DeleteTeam(ctx context.Context, name string) error {
	return c.tell(ctx, http.MethodDelete, "/teams/"+url.PathEscape(name), nil)
}

// SetTeamMember gives somebody a role in a team; an empty one takes them off it.
func (c *Client) SetTeamMember(ctx context.Context, team, user, role string) error {
	path := "/teams/" + url.PathEscape(team) + "/members/" + url.PathEscape(user)
	if role == "" {
		return c.tell(ctx, http.MethodDelete, path, nil)
	}
	return c.tell(ctx, http.MethodPut, path, map[string]string{"role": role})
}

// ShareLevelWithTeam shares a level with a team, up to a role; an empty one takes it back.
func (c *Client) ShareLevelWithTeam(ctx context.Context, id, team, role string) error {
	path := levelPath(id, "teams/"+url.PathEscape(team))
	if role == "" {
		return c.tell(ctx, http.MethodDelete, path, nil)
	}
	return c.tell(ctx, http.MethodPut, path, map[string]string{"role": role})
}

// GiveLevel makes somebody else the owner of a level.
func (c *Client) GiveLevel(ctx context.Context, id, user string) error {
	return c.tell(ctx, http.MethodPut, levelPath(id, "owner"), api.NewOwner{User: user})
}

// NewShareLink makes a link that opens something.
func (c *Client) NewShareLink(ctx context.Context, want api.NewShareLink) (api.ShareLink, error) {
	return post[api.ShareLink](ctx, c, "/links", want)
}

// ShareLinks lists the links that the user has made.
func (c *Client) ShareLinks(ctx context.Context) ([]api.ShareLink, error) {
	return getList[api.ShareLink](ctx, c, "/links", nil)
}

// WithdrawLink ends a link and what it opened.
func (c *Client) WithdrawLink(ctx context.Context, id string) error {
	return c.tell(ctx, http.MethodDelete, "/links/"+url.PathEscape(id), nil)
}

// OpenLink uses a link.
func (c *Client) OpenLink(ctx context.Context, secret string) (api.Opened, error) {
	return post[api.Opened](ctx, c, "/links/open", api.OpenLink{Secret: secret})
}

// Join makes an account by an invitation.
func (c *Client) Join(ctx context.Context, want api.Join) error {
	return c.tell(ctx, http.MethodPost, "/join", want)
}

// Comments lists what was said about a level, the oldest first.
func (c *Client) Comments(ctx context.Context, id string) ([]api.Comment, error) {
	return getList[api.Comment](ctx, c, levelPath(id, "comments"), nil)
}

// AddComment says something about a level.
func (c *Client) AddComment(ctx context.Context, id string, want api.NewComment) (api.Comment, error) {
	return post[api.Comment](ctx, c, levelPath(id, "comments"), want)
}

// ChangeComment changes a comment, or settles or reopens its thread.
func (c *Client) ChangeComment(ctx context.Context, id, comment string, want api.CommentChange) error {
	return c.tell(ctx, http.MethodPatch, levelPath(id, "comments/"+url.PathEscape(comment)), want)
}

// DeleteComment deletes a comment.
func (c *Client) DeleteComment(ctx context.Context, id, comment string) error {
	return c.tell(ctx, http.MethodDelete, levelPath(id, "comments/"+url.PathEscape(comment)), nil)
}

// Reviews lists those of a level, the newest first.
func (c *Client) Reviews(ctx context.Context, id string) ([]api.Review, error) {
	return getList[api.Review](ctx, c, levelPath(id, "reviews"), nil)
}

// AskReview asks somebody to judge a revision.
func (c *Client) AskReview(ctx context.Context, id string, want api.NewReview) (api.Review, error) {
	return post[api.Review](ctx, c, levelPath(id, "reviews"), want)
}

// AnswerReview judges a revision.
func (c *Client) AnswerReview(ctx context.Context, id, review string, want api.ReviewAnswer) (api.Review, error) {
	var out api.Review
	_, err := c.do(ctx, call{method: http.MethodPut, path: levelPath(id, "reviews/"+url.PathEscape(review)), body: want}, &out)
	return out, err
}

// Notices lists what others did that is about the user, the newest first.
func (c *Client) Notices(ctx context.Context, unread bool) ([]api.Notice, error) {
	return getList[api.Notice](ctx, c, "/notices", url.Values{"unread": {strconv.FormatBool(unread)}})
}

// ReadNotices says that the user has read notices; all where none are named.
func (c *Client) ReadNotices(ctx context.Context, ids ...string) error {
	return c.tell(ctx, http.MethodPost, "/notices/read", map[string][]string{"ids": append([]string{}, ids...)})
}

// Webhooks lists the addresses that the user's notices are sent to.
func (c *Client) Webhooks(ctx context.Context) ([]api.Webhook, error) {
	return getList[api.Webhook](ctx, c, "/webhooks", nil)
}

// NewWebhook has the user's notices sent to an address.
func (c *Client) NewWebhook(ctx context.Context, address string) (api.Webhook, error) {
	return post[api.Webhook](ctx, c, "/webhooks", api.NewWebhook{URL: address})
}

// DeleteWebhook ends a webhook.
func (c *Client) DeleteWebhook(ctx context.Context, id string) error {
	return c.tell(ctx, http.MethodDelete, "/webhooks/"+url.PathEscape(id), nil)
}

// Audit lists who did what, the newest first. Empty texts do not bind.
func (c *Client) Audit(ctx context.Context, who, action, about string, before, limit int) ([]api.AuditEntry, error) {
	return getList[api.AuditEntry](ctx, c, "/audit", query("who", who, "action", action, "about", about, "before", strconv.Itoa(before), "limit", strconv.Itoa(limit)))
}

// Variants lists those of a level.
func (c *Client) Variants(ctx context.Context, id string) ([]api.VariantInfo, error) {
	return getList[api.VariantInfo](ctx, c, levelPath(id, "variants"), nil)
}

// NewVariant makes a variant of a level.
func (c *Client) NewVariant(ctx context.Context, id string, want api.NewVariant) (api.VariantInfo, error) {
	return post[api.VariantInfo](ctx, c, levelPath(id, "variants"), want)
}

// MergeVariant brings a variant and its original together.
func (c *Client) MergeVariant(ctx context.Context, variant string, want api.NewMerge) (api.MergedLevel, error) {
	return post[api.MergedLevel](ctx, c, levelPath(variant, "merge"), want)
}
