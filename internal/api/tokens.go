package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/domain"
)

// Token is a key for this API.
type Token struct {
	ID        int64  `json:"id" example:"9"`
	Name      string `json:"name" example:"night scripts"`
	OwnerID   Ref    `json:"owner_id" doc:"On whose behalf it acts; null for one that the program made"`
	Grant     Grant  `json:"grant"`
	CreatedAt Moment `json:"created_at"`
	EndsAt    Moment `json:"ends_at" doc:"null for never"`
	UsedAt    Moment `json:"used_at"`
}

func tokenOf(t domain.Token) Token {
	return Token{t.ID, t.Name, Ref(t.OwnerID), grantOf(t.Grant), Moment{t.CreatedAt}, Moment{t.EndsAt}, Moment{t.UsedAt}}
}

func (t Token) at(order string) (string, domain.ID) {
	if order == "name" {
		return t.Name, t.ID
	}
	return "", t.ID
}

func (a *api) tokens() {
	list(a, operation{http.MethodGet, "/tokens", "List tokens: yours, or all to those who administer the whole tree", domain.AreaRun, ""},
		orders{"name", "id"},
		func(ctx context.Context, in SearchFilter) ([]Token, error) {
			all, err := a.People.Tokens(ctx, caller(ctx))
			return some(all, func(t domain.Token) bool { return holds(t.Name, in.Search) }, tokenOf), err
		})
	add(a, operation{http.MethodDelete, "/tokens/{id}", "Take a token back: it opens nothing any more", domain.AreaRun, ""},
		func(ctx context.Context, in *ByID) (*none, error) {
			return nil, a.People.TakeToken(ctx, caller(ctx), in.ID)
		})
	add(a, operation{http.MethodGet, "/me", "Who is asking, and what that may do", domain.AreaRun, ""},
		func(ctx context.Context, _ *none) (*Body[Me], error) {
			who := caller(ctx)
			out := Me{Kind: string(who.Kind), ID: Ref(who.ID), Name: who.Name, Levels: map[string]string{}}
			for _, area := range domain.AllAreas() {
				for _, level := range domain.AllAccess() {
					if !who.Scope(area, level).None() {
						out.Levels[string(area)] = string(level)
					}
				}
			}
			return one(out, nil)
		})
}

// Me is who asks.
type Me struct {
	Kind   string            `json:"kind" example:"token"`
	ID     Ref               `json:"id"`
	Name   string            `json:"name" example:"night scripts"`
	Levels map[string]string `json:"levels" nullable:"false" doc:"The highest level that it has anywhere, by work area"`
}
