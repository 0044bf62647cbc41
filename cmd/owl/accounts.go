package main

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"strings"

	"tirelessowl/internal/app"
	"tirelessowl/internal/config"
	"tirelessowl/internal/domain"
)

// level is the one flag that people and keys share.
type level struct {
	Level string `required:"" enum:"see,operate,configure,administer" help:"${enum}"`
}

type userAdd struct {
	level
	Name    string `required:"" help:"Name to sign in with."`
	Display string `            help:"Name to be shown; default the name."`
}

// Run is "owl user add".
func (u userAdd) Run(ctx context.Context, c config.Config) error {
	fmt.Fprint(os.Stderr, "Password: ")
	line, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if err != nil && line == "" {
		return errors.New("no password was given")
	}
	return app.AddUser(ctx, c, u.Name, cmp.Or(u.Display, u.Name), u.Level, domain.Secret(strings.TrimRight(line, "\r\n")))
}

type keyRotate struct{}

// Run is "owl key rotate".
func (keyRotate) Run(ctx context.Context, c config.Config) error {
	return app.RotateKey(ctx, c, func(text string) { fmt.Println(text) })
}

type tokenCreate struct {
	level
	Name string `required:"" help:"What the key is for."`
}

// Run is "owl token create".
func (t tokenCreate) Run(ctx context.Context, c config.Config) error {
	return app.CreateToken(ctx, c, t.Name, t.Level)
}
