import { provideHttpClient, withFetch, withInterceptors } from '@angular/common/http';
import { type ApplicationConfig, provideZonelessChangeDetection } from '@angular/core';
import { provideRouter, withComponentInputBinding } from '@angular/router';
import { NgbConfig } from '@ng-bootstrap/ng-bootstrap';
import { provideEffects } from '@ngrx/effects';
import { provideState, provideStore } from '@ngrx/store';
import { routes } from './app.routes';
import { dataEffects, dataFeature } from './data/data';
import { tellPerson } from './frame/person';
import { projectEffects, projectFeature } from './project/project';
import { hostsEffects, hostsFeature } from './hosts/hosts';
import { runsEffects, runsFeature } from './runs/runs';
import { scriptsEffects } from './scripts/scripts.effects';
import { scriptsFeature } from './scripts/scripts.feature';
import { messagesFeature } from './shared/messages';
import { takesEffects } from './takes/takes.effects';
import { takesFeature } from './takes/takes.feature';
import { workloadsEffects, workloadsFeature } from './workloads/workloads';

export const appConfig: ApplicationConfig = {
  providers: [
    provideZonelessChangeDetection(),
    provideRouter(routes, withComponentInputBinding()),
    provideHttpClient(withFetch(), withInterceptors([tellPerson])),
    provideStore(),
    provideState(projectFeature),
    provideState(messagesFeature),
    provideState(takesFeature),
    provideState(scriptsFeature),
    provideState(dataFeature),
    provideState(workloadsFeature),
    provideState(runsFeature),
    provideState(hostsFeature),
    provideEffects(projectEffects, takesEffects, scriptsEffects, dataEffects, workloadsEffects, runsEffects, hostsEffects),
    { provide: NgbConfig, useFactory: () => Object.assign(new NgbConfig(), { animation: false }) },
  ],
};
