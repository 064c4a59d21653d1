import { APP_BASE_HREF } from '@angular/common';
import { provideHttpClient, withFetch, withInterceptors } from '@angular/common/http';
import { type ApplicationConfig, provideZonelessChangeDetection } from '@angular/core';
import { provideRouter, withComponentInputBinding } from '@angular/router';
import { NgbConfig } from '@ng-bootstrap/ng-bootstrap/config';
import { provideEffects } from '@ngrx/effects';
import { provideState, provideStore } from '@ngrx/store';
import { routes, routesWithoutProject } from './app.routes';
import { dataEffects } from './state/data.effects';
import { dataFeature } from './state/data.feature';
import { projectId } from './shared/api';
import { addressIn } from './shared/project-address';
import { tellEnvironment } from './shared/environment-choice';
import { tellPerson } from './shared/person';
import { projectEffects } from './state/project.effects';
import { projectFeature } from './state/project.feature';
import { projectsEffects } from './state/projects.effects';
import { projectsFeature } from './state/projects.feature';
import { hostsEffects } from './state/hosts.effects';
import { hostsFeature } from './state/hosts.feature';
import { briefEffects } from './state/brief.effects';
import { briefFeature } from './state/brief.feature';
import { runsEffects } from './state/runs.effects';
import { runsFeature } from './state/runs.feature';
import { scriptsEffects } from './state/scripts.effects';
import { scriptsFeature } from './state/scripts.feature';
import { messagesFeature } from './state/messages';
import { exploreEffects } from './state/explore.effects';
import { exploreFeature } from './state/explore.feature';
import { noticeEffects } from './state/notice.effects';
import { noticeFeature } from './state/notice.feature';
import { scheduleEffects } from './state/schedule.effects';
import { scheduleFeature } from './state/schedule.feature';
import { takesEffects } from './state/takes.effects';
import { takesFeature } from './state/takes.feature';
import { workloadsEffects } from './state/workloads.effects';
import { workloadsFeature } from './state/workloads.feature';

export const appConfig: ApplicationConfig = {
  providers: [
    provideZonelessChangeDetection(),
    // Addresses within the interface begin behind that of the project.
    { provide: APP_BASE_HREF, useValue: projectId === '' ? '/' : addressIn(projectId, '/') },
    provideRouter(projectId === '' ? routesWithoutProject : routes, withComponentInputBinding()),
    provideHttpClient(withFetch(), withInterceptors([tellPerson, tellEnvironment])),
    provideStore(),
    provideState(projectsFeature),
    provideState(projectFeature),
    provideState(messagesFeature),
    provideState(takesFeature),
    provideState(scriptsFeature),
    provideState(dataFeature),
    provideState(workloadsFeature),
    provideState(runsFeature),
    provideState(briefFeature),
    provideState(hostsFeature),
    provideState(scheduleFeature),
    provideState(exploreFeature),
    provideState(noticeFeature),
    provideEffects(
      projectsEffects,
      projectEffects,
      takesEffects,
      scriptsEffects,
      dataEffects,
      workloadsEffects,
      runsEffects,
      hostsEffects,
      briefEffects,
      scheduleEffects,
      exploreEffects,
      noticeEffects,
    ),
    { provide: NgbConfig, useFactory: () => Object.assign(new NgbConfig(), { animation: false }) },
  ],
};
