import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { NgbActiveModal } from '@ng-bootstrap/ng-bootstrap/modal';
import { CredentialSchema, environmentFault, EnvironmentSchema, type Credential, type Environment, type FailureSign } from '@sturdy/core';
import { FailureSigns } from '../shared/failure-signs';
import { CredentialForm } from './credential-form';
import { VariableList, type EditedVariable } from './variable-list';

const lines = (text: string): string[] =>
  text
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean);

/** The environment: which origins may be hit, which real ones stand for recorded ones, and how connections sign in to them. */
@Component({
  selector: 'app-environment-dialog',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FailureSigns, FormsModule, RouterLink, CredentialForm, VariableList],
  template: `<form class="form-contents" (ngSubmit)="save()">
    <div class="modal-header">
      <h2 class="m-0">Environment</h2>
      <button type="button" class="btn-close" aria-label="Close" (click)="modal.dismiss()"></button>
    </div>
    <div class="modal-body">
      <div class="two-columns">
        <label class="field">Name<input name="name" [(ngModel)]="name" /></label>
        <label class="field"
          >Proxy in front of the targets<input
            name="upstream"
            class="mono"
            [(ngModel)]="upstreamProxy"
            placeholder="none, or http://127.0.0.1:3128"
        /></label>
        <label class="field"
          >Allowed targets, one per line<textarea
            name="targets"
            rows="4"
            class="mono"
            [(ngModel)]="targets"
            placeholder="http://127.0.0.1:4701"
          ></textarea>
        </label>
        <label class="field"
          >Recorded origin and the origin to use instead, one pair per line<textarea
            name="map"
            rows="4"
            class="mono"
            [(ngModel)]="map"
            placeholder="http://127.0.0.1:4701 http://127.0.0.1:4801"
          ></textarea>
        </label>
      </div>
      <label class="check mt-2"
        ><input type="checkbox" name="production" [(ngModel)]="productionLike" />
        <span>It stands for production, or is it. Whatever starts there says so in colour and words.</span></label
      >
      <p class="muted small mt-2">
        Recording, rehearsals and runs refuse every other host. A target that is not on this machine has to be cleared, too, on the page
        <a routerLink="/environments" (click)="modal.dismiss()">Environments</a>.
      </p>
      <h3>Connection sign-in</h3>
      <p class="muted small mb-2">
        For servers that ask for a sign-in before any page (HTTP authentication, client certificates). The recorder, rehearsals and runs use
        these. Passwords and tokens are kept and not shown again; write a new one to replace what is kept.
      </p>
      @for (signIn of credentials(); track $index) {
        <app-credential-form [credential]="signIn" (changed)="setCredential($index, $event)" (removed)="removeCredential($index)" />
      }
      <button type="button" class="act slim" (click)="addCredential()"><i class="bi bi-plus" aria-hidden="true"></i>Add a sign-in</button>
      <h3>Variables</h3>
      <p class="muted small mb-2">
        Values that scripts take by name, and that differ from environment to environment. Those marked secret are kept sealed, are not
        shown again, and are masked wherever they would stand in exports and in the log.
      </p>
      <app-variable-list [variables]="variables()" (changed)="variables.set($event)" />
      <h3>Failure signs</h3>
      <p class="muted small mb-2">What no good answer contains in this environment, beside the signs of the project.</p>
      <app-failure-signs [signs]="signs()" (changed)="signs.set($event)" (failed)="problem.set($event ?? '')" />
      <h3>Certificates of the targets</h3>
      <label class="check"
        ><input type="checkbox" name="checks" [(ngModel)]="checksCertificates" />
        <span>Check them. Switch it off for test systems whose certificates belong to nobody.</span></label
      >
      <label class="field mt-2"
        >Authorities trusted besides the public ones, in PEM<textarea
          name="authorities"
          rows="3"
          class="mono"
          [(ngModel)]="authorities"
          placeholder="-----BEGIN CERTIFICATE-----"
        ></textarea>
      </label>
      @if (problem()) {
        <p class="note bad mt-2 mb-0" role="alert">{{ problem() }}</p>
      }
    </div>
    <div class="modal-footer">
      <button type="button" class="act" (click)="modal.dismiss()">Cancel</button><button class="act main">Save</button>
    </div>
  </form>`,
  styles: `
    h3 {
      font-size: 14px;
      font-weight: 640;
      margin: 14px 0 4px;
    }
    .check {
      display: flex;
    }
  `,
})
export class EnvironmentDialog {
  readonly modal = inject(NgbActiveModal);
  readonly #environment = signal<Environment | null>(null);
  readonly credentials = signal<readonly Credential[]>([]);
  readonly variables = signal<readonly EditedVariable[]>([]);
  readonly signs = signal<readonly FailureSign[]>([]);
  readonly problem = signal('');
  name = '';
  targets = '';
  map = '';
  upstreamProxy = '';
  authorities = '';
  checksCertificates = true;
  productionLike = false;

  show(environment: Environment): void {
    this.#environment.set(environment);
    this.name = environment.name;
    this.productionLike = environment.productionLike;
    this.targets = environment.targets.join('\n');
    this.map = Object.entries(environment.map)
      .map((pair) => pair.join(' '))
      .join('\n');
    this.upstreamProxy = environment.upstreamProxy;
    this.authorities = environment.trust.authorities;
    this.checksCertificates = environment.trust.checksCertificates;
    this.credentials.set(environment.credentials);
    this.signs.set(environment.failureSigns);
    this.variables.set(
      Object.entries(environment.variables).map(([name, value]) => ({
        name,
        value,
        isSecret: environment.secretVariables.includes(name),
      })),
    );
  }

  addCredential(): void {
    const [origin = '*'] = lines(this.targets);
    this.credentials.update((list) => [...list, { kind: 'basic', origin, user: '', password: '' }]);
  }

  setCredential(at: number, credential: Credential): void {
    this.credentials.update((list) => list.map((basic, index) => (index === at ? credential : basic)));
  }

  removeCredential(at: number): void {
    this.credentials.update((list) => list.filter((_, index) => index !== at));
  }

  save(): void {
    const before = this.#environment();
    if (!before) return;
    // A line without a name was never filled in.
    const variables = this.variables()
      .map((variable) => ({ ...variable, name: variable.name.trim() }))
      .filter((variable) => variable.name !== '' || variable.value !== '');
    const twice = variables.find(
      (variable, at) => variable.name === '' || variables.findIndex((otherVariable) => otherVariable.name === variable.name) < at,
    );
    if (twice) {
      this.problem.set(
        twice.name === ''
          ? 'A variable has no name. Give it one, or remove it.'
          : `The variable “${twice.name}” stands twice. Remove one of them.`,
      );
      return;
    }
    const pairs = lines(this.map).map((line) => line.split(/\s+/));
    const changed: Environment = {
      ...before,
      name: this.name.trim(),
      productionLike: this.productionLike,
      targets: lines(this.targets),
      map: Object.fromEntries(pairs.map(([from = '', to]): [string, string] => [from, to ?? from])),
      credentials: [...this.credentials()],
      variables: Object.fromEntries(variables.map((variable) => [variable.name, variable.value])),
      secretVariables: variables.filter((variable) => variable.isSecret).map((variable) => variable.name),
      trust: { authorities: this.authorities, checksCertificates: this.checksCertificates },
      upstreamProxy: this.upstreamProxy.trim(),
      failureSigns: [...this.signs()],
    };
    const wrong = this.credentials().findIndex((credential) => !CredentialSchema.safeParse(credential).success);
    const checked = EnvironmentSchema.safeParse(changed);
    if (!checked.success) {
      const [issue] = checked.error.issues;
      this.problem.set(`${wrong >= 0 ? `Sign-in ${wrong + 1}` : (issue?.path.join('.') ?? 'It')}: ${issue?.message ?? 'cannot be saved'}`);
      return;
    }
    const refused = environmentFault(changed);
    if (refused === null) this.modal.close(changed);
    else this.problem.set(refused);
  }
}
