package rest

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
)

// This file keeps teams.

// TeamPath names a team.
type TeamPath struct {
	Team string `path:"team" maxLength:"32"`
}

func (s *server) registerTeams(a huma.API) {
	const tag = "teams"
	huma.Register(a, operation("GET", "/teams", "list-teams", "List the teams that you are in", tag),
		func(ctx context.Context, _ *struct{}) (*out[list[api.Team]], error) {
			teams, err := s.Store.Teams(askerOf(ctx))
			return answerList(s, teams, err)
		})
	huma.Register(a, operation("POST", "/teams", "create-team", "Make a team that you own", tag),
		func(ctx context.Context, in *struct{ Body api.NewTeam }) (*struct{}, error) {
			return nothing(s, s.Store.NewTeam(askerOf(ctx), in.Body))
		})
	huma.Register(a, operation("DELETE", "/teams/{team}", "delete-team", "Delete a team; its levels and presets stay with their owners", tag),
		func(ctx context.Context, in *TeamPath) (*struct{}, error) {
			return nothing(s, s.Store.DeleteTeam(askerOf(ctx), in.Team))
		})
	huma.Register(a, operation("PUT", "/teams/{team}/members/{user}", "set-team-member", "Give somebody a role in a team", tag),
		func(ctx context.Context, in *struct {
			TeamPath
			User string `path:"user"`
			Body struct {
				Role string `json:"role" enum:"owner,editor,commenter,viewer"`
			}
		}) (*struct{}, error) {
			return nothing(s, s.Store.SetTeamMember(askerOf(ctx), in.Team, in.User, in.Body.Role))
		})
	huma.Register(a, operation("DELETE", "/teams/{team}/members/{user}", "remove-team-member", "Take somebody off a team, or leave it", tag),
		func(ctx context.Context, in *struct {
			TeamPath
			User string `path:"user"`
		}) (*struct{}, error) {
			return nothing(s, s.Store.SetTeamMember(askerOf(ctx), in.Team, in.User, ""))
		})
	share := operation("PUT", "/levels/{id}/teams/{team}", "share-level-with-team", "Share a level with a team of yours", tag)
	share.Description = "Each member has on it the lower of this role and their own in the team."
	huma.Register(a, share, func(ctx context.Context, in *struct {
		LevelPath
		TeamPath
		Body struct {
			Role string `json:"role" enum:"editor,commenter,viewer"`
		}
	}) (*struct{}, error) {
		return nothing(s, s.Store.SetLevelTeam(askerOf(ctx), in.ID, in.Team, in.Body.Role))
	})
	huma.Register(a, operation("DELETE", "/levels/{id}/teams/{team}", "unshare-level-with-team", "Take a level back from a team", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			TeamPath
		}) (*struct{}, error) {
			return nothing(s, s.Store.SetLevelTeam(askerOf(ctx), in.ID, in.Team, ""))
		})
}
